"""Native binaries, read by their open specifications: one reader a format."""
