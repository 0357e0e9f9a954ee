"""Unified Shell sets up a research machine and verifies that it works."""

__all__ = ["__version__"]
__version__ = "0.1.0"
