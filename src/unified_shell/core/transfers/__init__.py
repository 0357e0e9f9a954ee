"""Bringing bytes here: HTTP, local files, hashes, limits, retries."""
