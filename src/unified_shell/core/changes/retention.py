"""How long what undo needs is kept: for the last 20 changes, and for 30 days at least."""

import os
from collections.abc import Mapping

from unified_shell.core.errors import UshError
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.locations import Locations

from .journal import Entry, Journal
from .records import read_records
from .steps import FlipLink, PlaceTree, RetireTree, Step

__all__ = ["kept_bytes_of", "trim"]

# What undo needs takes disk: the design's bounds, and `[undo]` in the configuration sets others.
KEEP_CHANGES = 20
KEEP_SECONDS = 30 * 86400.0


def trim(
    journal: Journal, locations: Locations, *, changes: int | None = None, seconds: float | None = None
) -> tuple[int, ...]:
    """Let go of what undo needs for changes older than both limits; returns their numbers.

    The limits are those of the configuration, `changes` and `days` in `[undo]`, where none are given.
    """
    told_changes, told_seconds = _limits(locations)
    changes = told_changes if changes is None else changes
    seconds = told_seconds if seconds is None else seconds
    young = now_seconds() - seconds
    # All that is kept may be much, where many changes were made within the days; nothing of it is to be let go of then.
    if not journal.keeps_from_before(young):
        return ()
    ended = journal.kept_for_undo()
    old = [one for one in ended[changes:] if one.ended_seconds < young]
    if not old:
        return ()
    needed = _trees(journal, [one for one in ended if one not in old])
    for entry in old:
        steps = journal.steps(entry.number)
        # One that something else made goes out of sight beside where it was, if that is another file system.
        beside = {step.retired for step in steps if isinstance(step, RetireTree) and step.instead}
        for tree in _trees(journal, [entry]) - needed - _in_use(steps):
            if tree.startswith(locations.data + "/") or tree in beside:
                remove_tree(tree)
        journal.forget_undo(entry.number)
    return tuple(one.number for one in old)


def _limits(locations: Locations) -> tuple[int, float]:
    """Return the configuration's limits; what is no number there leaves the usual one."""
    try:
        table = read_records(locations.config_file).get("undo", {})
    except UshError:
        table = {}
    told = table if isinstance(table, Mapping) else {}
    changes, days = told.get("changes"), told.get("days")
    return (
        changes if isinstance(changes, int) and changes > 0 else KEEP_CHANGES,
        days * 86400.0 if isinstance(days, int | float) and days > 0 else KEEP_SECONDS,
    )


def kept_bytes_of(journal: Journal, entry: Entry) -> int:
    """Return the bytes on disk that are kept only so that this change can be undone or done again."""
    steps = journal.steps(entry.number)
    return sum(_size(tree) for tree in _trees(journal, [entry]) - _in_use(steps))


def _trees(journal: Journal, entries: list[Entry]) -> set[str]:
    """Return every tree that undo of these changes would bring into sight or has put out of it."""
    found: set[str] = set()
    for entry in entries:
        for step in journal.steps(entry.number):
            if isinstance(step, RetireTree):
                found.add(step.retired)
            elif isinstance(step, PlaceTree):
                # Where a tree took a link's place again, that place is somebody else's.
                found |= {step.staged} if step.instead else {step.staged, step.target}
            elif isinstance(step, FlipLink):
                found |= {_led_to(step.link, name) for name in (step.before, step.after) if name}
    return found


def _in_use(steps: tuple[Step, ...]) -> set[str]:
    links = [step.link for step in steps if isinstance(step, FlipLink)]
    return {os.path.realpath(link) for link in links if os.path.islink(link)}


def _led_to(link: str, target: str) -> str:
    return os.path.normpath(os.path.join(os.path.dirname(link), target))


def _size(top: str) -> int:
    return sum(os.lstat(os.path.join(folder, name)).st_size for folder, _, files in os.walk(top) for name in files)
