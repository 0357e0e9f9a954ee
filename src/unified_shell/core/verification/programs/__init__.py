"""Small programs that an interpreter or environment runs to answer for itself; none is imported by ush."""

import os

__all__ = ["program"]


def program(name: str) -> str:
    """Return the path of one of them."""
    return os.path.join(os.path.dirname(__file__), f"{name}.py")
