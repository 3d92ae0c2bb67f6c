"""Which files of a folder go in, and which stay out."""
