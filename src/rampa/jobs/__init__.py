"""Background work of the service, queued in PostgreSQL."""
