"""The state of a name in each kind of session of the person's shells, with the cause where it is not ready."""

from collections.abc import Sequence
from dataclasses import dataclass

from unified_shell.core.commands.candidates import NameReport
from unified_shell.core.commands.states import State
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.hookup import chosen_shells, shells_of_their_own
from unified_shell.core.shells.meanings import Meaning, ask_meaning
from unified_shell.core.shells.sessions import find_program
from unified_shell.core.shells.startup_files import read_startup_states
from unified_shell.core.shells.tracing import trace_path

__all__ = ["SessionState", "name_states"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionState:
    """What a name is in a new session of a shell: its state, the file that answers, and why."""

    shell: str
    mode: Mode
    state: State
    file: Place
    why: str


def name_states(report: NameReport, host: Host) -> tuple[SessionState, ...]:
    """Open new sessions of the person's own shells and of those wired by a file of their own, and ask each."""
    dialects = dict.fromkeys((*chosen_shells(host), *shells_of_their_own(host)))
    asked = [
        (dialect, mode, ask_meaning(dialect, mode, report.name, host))
        for dialect in dialects
        if find_program(dialect, host) is not None
        for mode in Mode
    ]
    return tuple(_state(one, report, asked, host) for one in asked)


def _state(
    one: tuple[Dialect, Mode, Meaning],
    report: NameReport,
    asked: Sequence[tuple[Dialect, Mode, Meaning]],
    host: Host,
) -> SessionState:
    dialect, mode, meaning = one
    state, why = State.READY, meaning.instead
    if meaning.trouble:
        state, why = State.BROKEN, f"no session opens: {meaning.trouble}"
    elif meaning.instead.startswith(("an alias", "a function")):
        state = State.SHADOWED
    elif meaning.instead:
        state = State.READY
    elif not meaning.file:
        there = [each for each in report.candidates if each.state is not State.BROKEN]
        state = State.HIDDEN if there else State.ABSENT
        why = _why_hidden(dialect, mode, asked, host) if there else ""
    else:
        candidate = next((each for each in report.candidates if each.path == meaning.file), None)
        if candidate is not None and candidate.state in (State.BROKEN, State.MISMATCHED):
            state, why = candidate.state, candidate.why
    return SessionState(shell=dialect.name, mode=mode, state=state, file=meaning.file, why=why)


def _why_hidden(dialect: Dialect, mode: Mode, asked: Sequence[tuple[Dialect, Mode, Meaning]], host: Host) -> str:
    """Say which file puts the name's directory on the path elsewhere, and that it is not read here."""
    for other, other_mode, meaning in asked:
        if not meaning.file or (other, other_mode) == (dialect, mode):
            continue
        directory = meaning.file.rpartition("/")[0]
        trace = trace_path(other, other_mode, host, [directory])
        source = trace.entries[0].file if trace.entries else ""
        read = {one.path for one in read_startup_states(dialect, host) if one.mode is mode and one.is_read}
        if source and source not in read:
            if "/wiring/" in source:
                return "no file that is read here has the hook-up"
            name = shown(source, host.home)
            return f"{name} puts {shown(directory, host.home)} on PATH, which is not read here"
    return "its directory is on no path here"
