"""What the names of paths mean, by the rules of a system: where a path lies, which are the same, which cannot be had.

Windows' names are the same in any case, and have `\\` or `/` between them; a path may begin with a drive, a server's share, or
`\\\\?\\`, behind which nothing is interpreted (Microsoft's "Naming Files, Paths, and Namespaces"). Nothing is looked up: `..` is
left as it stands, as the system's own functions of these names do.
"""

import ntpath
import os
import re

__all__ = ["HERE", "POSIX_RULES", "WINDOWS_RULES", "PathRules"]

# Devices, whatever extension is written behind them, and with superscript digits too.
RESERVED = re.compile(r"(con|prn|aux|nul|conin\$|conout\$|(com|lpt)[1-9\u00b9\u00b2\u00b3]) *(\..*)?", re.IGNORECASE)
FORBIDDEN = re.compile(r'[<>:"|?*\x00-\x1f/\\]')


class PathRules:
    """The rules of POSIX, or with `is_windows` those of Windows."""

    def __init__(self, *, is_windows: bool) -> None:
        self.is_windows = is_windows
        self.separator = "\\" if is_windows else "/"

    def is_absolute(self, place: str) -> bool:
        """Tell whether a place is the same from wherever it is meant: with a drive or share, and from its root."""
        if not self.is_windows:
            return place.startswith("/")
        drive, rest = ntpath.splitdrive(_plain(place))
        return bool(drive) and (rest[:1] in ("\\", "/") or drive[:1] in ("\\", "/"))

    def key(self, place: str) -> str:
        """Return a text that is the same for two names of one place."""
        return ntpath.normcase(_plain(place)) if self.is_windows else place

    def inside(self, place: str, parent: str) -> bool:
        """Tell whether `place` is `parent` or lies below it, by names alone."""
        return self.below(place, parent) is not None

    def below(self, place: str, parent: str) -> str | None:
        """Return the part of `place` below `parent`, empty for itself; None where it is elsewhere, or no place at all."""
        if not place:
            return None
        if not self.is_windows:
            top = parent.rstrip("/")
            if place == parent or (top and place == top):
                return ""
            return place[len(top) + 1 :] if place.startswith(f"{top}/") else None
        place, top = _plain(place), _plain(parent).rstrip("\\/")
        here, there = self.key(place), self.key(top)
        if here.rstrip("\\") == there:
            return ""
        return place[len(top) + 1 :].lstrip("\\/") if here.startswith(f"{there}\\") else None

    def why_no_name(self, name: str) -> str:
        """Say why no file or folder can have this name; empty where it can."""
        if not self.is_windows:
            return "" if name not in ("", ".", "..") and "/" not in name and "\0" not in name else "it is no name"
        if name in ("", ".", "..") or FORBIDDEN.search(name):
            return 'Windows allows none of < > : " | ? * \\ / in a name'
        if name[-1] in ". ":
            return "Windows leaves out a point or a blank at the end of a name"
        return "it is a device of Windows" if RESERVED.fullmatch(name) else ""


def _plain(place: str) -> str:
    """Return a path of Windows without the mark behind which nothing is interpreted."""
    if place.startswith("\\\\?\\UNC\\"):
        return "\\\\" + place[8:]
    return place[4:] if place.startswith("\\\\?\\") else place


POSIX_RULES, WINDOWS_RULES = PathRules(is_windows=False), PathRules(is_windows=True)
HERE = WINDOWS_RULES if os.path is ntpath else POSIX_RULES
