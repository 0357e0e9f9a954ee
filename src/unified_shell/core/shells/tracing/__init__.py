"""Which file and line put a directory on the path."""
