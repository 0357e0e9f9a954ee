"""After a killed process: sweep what it only prepared, carry on what it had begun to switch."""

import contextlib
import os

from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.presence import is_at_work

from .early_places import sweep_staging
from .executor import Executor, carry_out, is_of_here, presence_lock, put_back
from .journal import Entry, EntryState
from .locks import scope_lock

__all__ = ["recover"]


def recover(executor: Executor) -> tuple[str, ...]:
    """Bring every change of a dead process to the state before or after it; returns what was done, in words.

    Called at the beginning of each changing command, before it looks and plans.
    """
    left = [entry for entry in executor.journal.unfinished() if _is_left(entry, executor)]
    if not left:
        _sweep_strays(executor)
        return ()
    with scope_lock(
        executor.locations.data, executor.locations.scope.value, words="recovery", on_wait=executor.on_wait
    ):
        # Another process may have settled it while we waited.
        again = {entry.number for entry in executor.journal.unfinished()}
        return tuple(_settle_one(executor, entry) for entry in left if entry.number in again)


def _sweep_strays(executor: Executor) -> None:
    """Remove staging folders of no change under way: a child of a killed process may have written one again."""
    top = executor.locations.staging
    with contextlib.suppress(FileNotFoundError):
        names = os.listdir(top)
        # A change is in the journal before its folder is made: what was listed is in the journal by now.
        in_use = {entry.staging for entry in executor.journal.unfinished()} if names else set()
        for name in names:
            if join(top, name) not in in_use:
                sweep_staging(join(top, name))


def _is_left(entry: Entry, executor: Executor) -> bool:
    """Tell whether nobody works on a change any more; one of another home, of which this is a copy, is not ours."""
    lock = presence_lock(executor.locations, entry.staging)
    return is_of_here(entry, executor) and not is_at_work(entry.worker, lock)


def _settle_one(executor: Executor, entry: Entry) -> str:
    number, journal = entry.number, executor.journal
    said = f"change {number} ({entry.words}) was interrupted"
    match entry.state:
        case EntryState.PREPARING:
            journal.set_state(number, EntryState.ABANDONED, ended=now_seconds(), note="interrupted")
            said += "; its preparations were removed"
        case EntryState.PUTTING_BACK:
            put_back(number, journal.steps(number), executor.locations)
            journal.set_state(number, EntryState.PUT_BACK, ended=now_seconds(), note="interrupted")
            said += " while being put back; that is now finished"
        case _:
            for step in journal.steps(number):
                carry_out(number, step)
            journal.set_state(number, EntryState.DONE, ended=now_seconds(), note="finished after an interruption")
            said += "; it is now finished, but was not verified"
    with contextlib.suppress(OSError):
        sweep_staging(entry.staging)
    with contextlib.suppress(OSError):
        remove_tree(presence_lock(executor.locations, entry.staging))
    return said
