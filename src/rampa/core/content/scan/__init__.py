"""Reading a folder's files: cut into chunks, hashed, remembered for the next time."""
