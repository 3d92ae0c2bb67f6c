"""Where a title's files come from."""
