"""Names of archive members, by their components. What could lead outside is refused, never repaired."""

from msgspec import Struct

from unified_shell.core.errors import ArchiveBroken

__all__ = ["Limits", "member_parts"]

# NAME_MAX of the file systems in use; a longer name fails in the middle of unpacking.
MAX_NAME_BYTES = 255


class Limits(Struct, frozen=True, kw_only=True):
    """What an archive may come to. Honest wheels unpack to 2.5 to 5 times their size in all."""

    members: int = 250_000
    total_bytes: int = 20_000_000_000
    ratio: int = 120
    free_ratio_bytes: int = 64_000_000

    def allowed_bytes(self, archive_bytes: int) -> int:
        """Return how many bytes an archive of this size may unpack to."""
        return min(self.total_bytes, archive_bytes * self.ratio + self.free_ratio_bytes)


def member_parts(name: str, archive: str) -> tuple[str, ...]:
    """Return the components of a member's name; raises ArchiveBroken for one that no archive may hold."""
    trimmed = name.removesuffix("/")
    parts = tuple(trimmed.split("/"))
    reason = ""
    if name.startswith("/") or not trimmed:
        reason = "is not relative"
    elif any(part in ("", ".", "..") for part in parts):
        reason = "has a component that is empty, '.' or '..'"
    elif any(ord(c) < 32 or ord(c) == 127 for c in name):
        reason = "holds a control character"
    elif "\\" in name or (len(parts[0]) == 2 and parts[0][1] == ":"):
        reason = "is a path of another system"
    elif any(len(part.encode("utf-8", "surrogateescape")) > MAX_NAME_BYTES for part in parts):
        reason = "is too long"
    if reason:
        raise ArchiveBroken(f"the member {name!r} {reason}; nothing was unpacked", where=archive)
    return parts
