"""Locks of an outfit: settled, written as the standard has them, compared."""
