"""Dialects, startup files, the wiring, new sessions."""
