"""The registry of Windows, and a file that stands in for it."""
