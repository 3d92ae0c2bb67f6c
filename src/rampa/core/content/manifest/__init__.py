"""The list of a depot's files and chunks, as bytes."""
