"""Names that fit a pattern, such as `hum*`, with what answers to each."""

import fnmatch
import os
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.machine.common_dirs import usual_folders
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file

from .judging import judge_file
from .states import State

__all__ = ["MatchedName", "match_names"]


class MatchedName(Struct, frozen=True, kw_only=True):
    """A name, the first file that answers to it (or would), whether this session finds it, and all candidates."""

    name: str
    state: State
    file: Place
    others: int
    candidates: tuple[Place, ...] = ()


def match_names(pattern: str, host: Host, managed: Mapping[str, str]) -> tuple[MatchedName, ...]:
    """Return the commands whose names fit, on PATH and in known places beside it, sorted by name."""
    entries = [one for one in dict.fromkeys(host.search_path()) if os.path.isabs(one)]
    beside = [one for one in (*managed, *usual_folders(host)) if one not in entries]
    found: dict[str, list[tuple[bool, Place]]] = {}
    seen: set[str] = set()
    for folder in (*entries, *beside):
        # One folder is often reached by two names, such as /bin and /usr/bin.
        if os.path.realpath(folder) in seen:
            continue
        seen.add(os.path.realpath(folder))
        try:
            names = os.listdir(folder)
        except OSError:
            continue
        for name in names:
            if fnmatch.fnmatchcase(name, pattern) and is_executable_file(join(folder, name)):
                found.setdefault(name, []).append((folder in entries, join(folder, name)))
    return tuple(
        MatchedName(
            name=name,
            state=_state(places[0], host, entries),
            file=places[0][1],
            others=len(places) - 1,
            candidates=tuple(path for _, path in places),
        )
        for name, places in sorted(found.items())
    )


def _state(first: tuple[bool, Place], host: Host, entries: Sequence[str]) -> State:
    on_path, path = first
    judged = judge_file(path, host, entries=entries, library_path=host.search_path("LD_LIBRARY_PATH"))
    if judged.state is not State.READY:
        return judged.state
    return State.READY if on_path else State.HIDDEN
