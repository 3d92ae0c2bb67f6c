"""The settings of a profile: what the document can say, as a table."""
