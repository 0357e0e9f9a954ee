"""Draws bars of text, one for each hive."""


def bars(rows, width=32):
    """Return a line for each (name, share from 0 to 1)."""
    longest = max((len(name) for name, _ in rows), default=0)
    return ["%-*s  %-*s %3d %%" % (longest, name, width, "#" * round(width * share), 100 * share) for name, share in rows]
