"""Isolated libraries of other languages."""
