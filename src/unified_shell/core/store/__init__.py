"""Unpacked content by hash, shared between environments."""
