"""Catalogs, and the descriptions of interpreters and suites that they list."""
