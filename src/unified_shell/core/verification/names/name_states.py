"""The state of a name in each kind of session of the person's shells, with the cause where it is not ready."""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.commands.candidates import NameReport
from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.name_lookup import NameLookup, NameQuestion
from unified_shell.core.shells.startup.startup_files import read_startup_states

__all__ = ["SessionState", "name_states", "overall_state"]

# Worst last; what is stale now is well in the next session.
ORDER = (
    State.READY,
    State.STALE,
    State.SHADOWED,
    State.HIDDEN,
    State.MISMATCHED,
    State.BROKEN,
    State.ABSENT,
)


class SessionState(Struct, frozen=True, kw_only=True):
    """What a name is in a new session of a shell: its state, the file that answers, and why."""

    shell: str
    mode: Mode
    state: State
    file: Place
    why: str


def name_states(report: NameReport, host: Host, question: NameQuestion) -> tuple[SessionState, ...]:
    """Return what the new sessions that are asked for the name come to."""
    asked = question.answers()
    return tuple(_state(one, report, asked, host) for one in asked)


def _state(
    one: tuple[Dialect, Mode, NameLookup],
    report: NameReport,
    asked: Sequence[tuple[Dialect, Mode, NameLookup]],
    host: Host,
) -> SessionState:
    dialect, mode, meaning = one
    state, why = State.READY, meaning.instead
    if meaning.trouble:
        state, why = State.BROKEN, f"no session opens: {meaning.trouble}"
    elif _only_adds_options(meaning, report.name):
        state = State.READY
    elif meaning.instead.startswith(("an alias", "a function")):
        state = State.SHADOWED
    elif meaning.instead:
        state = State.READY
    elif not meaning.file:
        state = State.HIDDEN if report.candidates else State.ABSENT
        why = _why_hidden(dialect, mode, asked, host) if report.candidates else ""
    else:
        state, why = _state_of_file(meaning, report, host)
    return SessionState(shell=dialect.name, mode=mode, state=state, file=meaning.file, why=why)


def _only_adds_options(meaning: NameLookup, name: str) -> bool:
    """Tell whether an alias starts the command of its own name, as `ls` is for `ls --color`."""
    _, found, words = meaning.instead.partition("an alias answers: ")
    return bool(found) and bool(meaning.file) and words.split(" ")[0] == name


def _state_of_file(meaning: NameLookup, report: NameReport, host: Host) -> tuple[State, str]:
    """Judge the file that a session would start, by that session's own search paths."""
    judged = judge_file(meaning.file, host, entries=meaning.entries, library_path=meaning.library_path)
    if judged.state is not State.READY:
        return judged.state, judged.why
    seen = next((one for one in report.candidates if one.path == meaning.file), None)
    # An interpreter was asked; what is missing on this session's paths may be there on the other's.
    if seen is not None and seen.state is State.BROKEN and not seen.library:
        return seen.state, seen.why
    return State.READY, f"version {seen.version}" if seen is not None and seen.version else ""


def overall_state(report: NameReport, sessions: Sequence[SessionState], wired: Sequence[str]) -> State:
    """Return the state to begin with: the worst of this session's and the new ones'.

    Where new sessions answer from a directory of the wiring (`wired`) and this one does not, it is stale: it began before
    that change.
    """
    here = report.state
    seen = [one for one in sessions if not one.why.startswith("no session opens")]
    if not seen:
        return here
    worst = max((one.state for one in seen), key=ORDER.index)
    if here is State.READY and worst is State.READY:
        answers = {one.file for one in seen if one.file}
        own = next((one.path for one in report.candidates if one.state is State.READY), None)
        from_wiring = {one for one in answers if os.path.dirname(one) in wired}
        return State.STALE if own is not None and from_wiring and own not in answers else State.READY
    if worst is State.READY:
        # A builtin or keyword has no file at all.
        return State.STALE if any(one.file for one in seen) else State.READY
    if here is State.READY:
        return worst
    if here in (State.ABSENT, State.STALE, State.HIDDEN):
        return worst
    return max((here, worst), key=ORDER.index)


def _why_hidden(dialect: Dialect, mode: Mode, asked: Sequence[tuple[Dialect, Mode, NameLookup]], host: Host) -> str:
    """Say which file puts the name's directory on the path elsewhere, and that it is not read here."""
    for other, other_mode, meaning in asked:
        if not meaning.file or (other, other_mode) == (dialect, mode):
            continue
        from unified_shell.core.shells.tracing.tracing import trace_path

        directory = meaning.file.rpartition("/")[0]
        trace = trace_path(other, other_mode, host, [directory])
        source = trace.entries[0].file if trace.entries else ""
        read = {one.path for one in read_startup_states(dialect, host) if one.mode is mode and one.is_read}
        if source and source not in read:
            if "/wiring/" in source:
                return "no startup file read here has the hook-up"
            name = shown(source, host.home)
            return f"{name} puts {shown(directory, host.home)} on PATH, but is not read here"
    return "its directory is not on PATH here"
