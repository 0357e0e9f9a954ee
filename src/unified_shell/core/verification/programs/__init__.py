"""Small programs that an interpreter or environment runs to answer for itself; none is imported by ush."""

from pathlib import Path

__all__ = ["program"]


def program(name: str) -> str:
    """Return the path of one of them."""
    return str(Path(__file__).with_name(f"{name}.py"))
