"""Which files are delivered together, and to whom."""
