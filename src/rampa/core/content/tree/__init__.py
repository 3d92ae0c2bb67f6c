"""What a folder holds once it was read: files with their chunks, in columns."""
