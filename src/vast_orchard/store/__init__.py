"""What is kept: records in PostgreSQL, bytes by content behind fsspec."""
