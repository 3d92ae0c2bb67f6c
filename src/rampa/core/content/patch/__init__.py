"""What turns content that a device has into what it lacks."""
