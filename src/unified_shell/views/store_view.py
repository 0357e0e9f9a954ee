"""What the store holds, as a person reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.next_steps import ush

from .terminal.tables import print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.environments.upkeep.downloads import Downloads
    from unified_shell.core.environments.upkeep.store_usage import StoreEntry

    from .terminal.screen import Screen

__all__ = ["print_store", "print_unused"]


def print_store(
    screen: Screen, entries: Sequence[StoreEntry], downloads: Downloads, *, scope_words: Sequence[str]
) -> None:
    """Write each content with its size and users, then the sum, and what to do about it;"""
    if not entries:
        screen.result("The store is empty: no package was installed yet.")
        _print_downloads(screen, downloads, scope_words)
        return
    rows = [(one.title, shown_size(one.size_bytes), _use(one), _damage(one)) for one in entries]
    print_table(screen, ("package", "size", "used by", "modified"), rows)
    unused = [one for one in entries if one.is_unused]
    total, free = sum(one.size_bytes for one in entries), sum(one.size_bytes for one in unused)
    screen.result(f"\n{len(entries)} packages, {shown_size(total)}; {len(unused)} of them unused, {shown_size(free)}")
    _print_downloads(screen, downloads, scope_words)
    if any(one.damaged for one in entries):
        screen.next(ush("store", "mend", *scope_words))
    elif unused:
        screen.next(ush("store", "sweep", *scope_words))


def _print_downloads(screen: Screen, downloads: Downloads, scope_words: Sequence[str]) -> None:
    if downloads.files:
        size = shown_size(downloads.size_bytes)
        screen.next(
            ush("store", "sweep", "--downloads", *scope_words),
            label=f"{downloads.files} downloaded files in the cache, {size}",
        )


def print_unused(screen: Screen, entries: Sequence[StoreEntry], downloads: Downloads) -> None:
    """Write what would be removed."""
    if downloads.files:
        size = shown_size(downloads.size_bytes)
        screen.result(f"Plan: Remove {downloads.files} downloaded files from the cache, {size}")
    if not entries:
        if not downloads.files:
            screen.result("Nothing to remove: every entry is used, or kept for undo (ush journal).")
        return
    screen.result("Plan: Remove unused entries from the store")
    print_table(screen, ("package", "size"), [(one.title, shown_size(one.size_bytes)) for one in entries], indent=2)


def _use(one: StoreEntry) -> str:
    if one.used_by:
        return ", ".join(one.used_by)
    return "kept for undo" if one.kept else "nothing"


def _damage(one: StoreEntry) -> str:
    more = len(one.damaged) - 2
    return ", ".join(one.damaged[:2]) + (f" and {more} more" if more > 0 else "")
