"""After a killed process: sweep what it only prepared, carry on what it had begun to switch."""

import contextlib
import os

from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.durable import remove_tree
from unified_shell.core.machine.places import join
from unified_shell.core.machine.presence import is_at_work

from .journal import Entry, EntryState
from .locks import scope_lock
from .road import Road, carry_out, is_of_here, presence_lock, put_back

__all__ = ["settle"]


def settle(road: Road) -> tuple[str, ...]:
    """Bring every change of a dead process to the state before or after it; returns what was done, in words.

    Called at the beginning of each changing command, before it looks and plans.
    """
    left = [entry for entry in road.journal.unfinished() if _is_left(entry, road)]
    if not left:
        _sweep_strays(road)
        return ()
    with scope_lock(road.locations.data, road.locations.scope.value, words="recovery", on_wait=road.on_wait):
        # Another process may have settled it while we waited.
        again = {entry.number for entry in road.journal.unfinished()}
        return tuple(_settle_one(road, entry) for entry in left if entry.number in again)


def _sweep_strays(road: Road) -> None:
    """Remove staging folders of no change under way: a child of a killed process may have written one again."""
    top = road.locations.staging
    with contextlib.suppress(FileNotFoundError):
        names = os.listdir(top)
        # A change is in the journal before its folder is made: what was listed is in the journal by now.
        in_use = {entry.staging for entry in road.journal.unfinished()} if names else set()
        for name in names:
            if join(top, name) not in in_use:
                remove_tree(join(top, name))


def _is_left(entry: Entry, road: Road) -> bool:
    """Tell whether nobody works on a change any more; one of another home, of which this is a copy, is not ours."""
    lock = presence_lock(road.locations, entry.staging)
    return is_of_here(entry, road) and not is_at_work(entry.worker, lock)


def _settle_one(road: Road, entry: Entry) -> str:
    number, journal = entry.number, road.journal
    said = f"change {number} ({entry.words}) was interrupted"
    match entry.state:
        case EntryState.PREPARING:
            journal.set_state(number, EntryState.ABANDONED, ended=now_seconds(), note="interrupted")
            said += "; what it had prepared was swept"
        case EntryState.PUTTING_BACK:
            put_back(number, journal.steps(number), road.locations)
            journal.set_state(number, EntryState.PUT_BACK, ended=now_seconds(), note="interrupted")
            said += " while it was put back; that is finished now"
        case _:
            for step in journal.steps(number):
                carry_out(number, step)
            journal.set_state(number, EntryState.DONE, ended=now_seconds(), note="finished after an interruption")
            said += "; it is finished now, but was not verified"
    for place in (entry.staging, presence_lock(road.locations, entry.staging)):
        with contextlib.suppress(OSError):
            remove_tree(place)
    return said
