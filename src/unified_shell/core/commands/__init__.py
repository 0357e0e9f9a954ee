"""Candidates for a name, and the state each is in."""
