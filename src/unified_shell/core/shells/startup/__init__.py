"""Startup files: which are read when, and the hook-up in them."""
