"""The content store's own lives: its check."""
