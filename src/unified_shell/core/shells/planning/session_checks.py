"""New sessions before and after an edit of startup files, compared: what proves the edit, or puts it back."""

import os
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.findings import Cause, Finding, Verdict, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.sessions.sessions import Session, open_session
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables
from unified_shell.core.shells.tracing.winning_lines import way_out, winner_against
from unified_shell.core.shells.wiring.conditions import holds

__all__ = ["Proof"]

# Just below the time after which a new session counts as failed.
SLOW_SECONDS = 9.0


class _Aims(Struct, frozen=True, kw_only=True):
    """What new sessions must have."""

    variable: str
    wanted: tuple[str, ...]
    when: str
    unwanted: tuple[str, ...]
    values: tuple[tuple[str, str], ...]
    stamp: tuple[str, str]
    own: tuple[str, ...]


class Proof:
    """New sessions before and after an edit of startup files, compared.

    What failed or was printed before counts for nothing; what is new puts the edit back.
    """

    def __init__(
        self,
        modes: Sequence[tuple[Dialect, Mode]],
        host: Host,
        files: Sequence[tuple[Place, Dialect]],
        fresh: Sequence[tuple[Dialect, Mode]] = (),
    ) -> None:
        self._host, self._files, self._fresh = host, tuple(files), set(fresh)
        self._modes = [key for key in dict.fromkeys(modes) if find_program(key[0], host)]
        self._before = self._sessions()
        self._syntax_before = self._syntax_errors()

    def findings(
        self,
        variable: str,
        wanted: Sequence[str],
        *,
        when: str = "",
        unwanted: Sequence[str] = (),
        values: Sequence[tuple[str, str]] = (),
        stamp: tuple[str, str] = ("", ""),
        own: Sequence[str] = (),
    ) -> tuple[Finding, ...]:
        """Return what new sessions say now: that they open as before, and have what is wanted.

        That is each of `wanted` once on the search path `variable`, none of `unwanted`, and the `values`. `stamp` is the
        variable (name and value) by which a session tells that it read the wiring: one for which a hook-up was put
        now, and which does not reach it, puts the edit back. `own` are all entries that the wiring has in front of PATH:
        where there are any, nothing else may answer instead of what is wanted.
        """
        aims = _Aims(
            variable=variable,
            wanted=tuple(wanted),
            when=when,
            unwanted=tuple(unwanted),
            values=tuple(values),
            stamp=stamp,
            own=tuple(own),
        )
        found = [
            Finding(
                subject=shown(file, self._host.home),
                question="its syntax is valid",
                verdict=Verdict.FAULT,
                answer=error,
                remedy=f"look at {shown(file, self._host.home)}",
                puts_back=True,
            )
            for file, error in self._syntax_errors().items()
            if file not in self._syntax_before
        ]
        for key, before in zip(self._modes, self._before, strict=True):
            # The first that puts the edit back is enough: others may take as long to fail.
            if any(one.puts_back for one in found):
                break
            found += _compare(before, self._session(*key), aims, self._host, is_fresh=key in self._fresh)
        return tuple(found)

    def _sessions(self) -> tuple[Session, ...]:
        """Open all; of a shell whose sessions do not open in time, no further one is waited for."""
        found: list[Session] = []
        for dialect, mode in self._modes:
            slow = next(
                (one for one in found if one.shell == dialect.name and one.elapsed_seconds > SLOW_SECONDS), None
            )
            again = slow is not None and bool(slow.trouble)
            found.append(replace(slow, mode=mode) if again and slow is not None else self._session(dialect, mode))
        return tuple(found)

    def _session(self, dialect: Dialect, mode: Mode) -> Session:
        return open_session(dialect, mode, self._host, errors=True)

    def _syntax_errors(self) -> dict[str, str]:
        found: dict[str, str] = {}
        for file, dialect in self._files:
            if not dialect.syntax_check(file):
                continue
            program = find_program(dialect, self._host)
            if program is None or not os.path.exists(file):
                continue
            ran = run_program(
                (program, *dialect.syntax_check(file)),
                environment=fresh_variables(self._host, program),
                timeout_seconds=10,
            )
            if ran.returncode:
                found[file] = ran.trouble
        return found


def _compare(before: Session, after: Session, aims: "_Aims", host: Host, *, is_fresh: bool) -> list[Finding]:
    if (failed := _failed(before, after, aims, is_fresh=is_fresh)) is not None:
        return [failed]
    home, times = host.home, int(holds(aims.when, after.mode, host))
    found = [_entry_finding(after, aims.variable, directory, home, times=times) for directory in aims.wanted]
    found = [
        _won_against(one, directory, after, aims, host) for one, directory in zip(found, aims.wanted, strict=True)
    ]
    found += [_entry_finding(after, aims.variable, directory, home, times=0) for directory in aims.unwanted]
    found += [_value_finding(after, name, value) for name, value in aims.values if times]
    return found or [
        Finding(
            subject=_subject(after),
            question="opens",
            verdict=Verdict.PASSED,
            answer="yes",
            elapsed_seconds=after.elapsed_seconds,
        )
    ]


def _failed(before: Session, after: Session, aims: "_Aims", *, is_fresh: bool) -> Finding | None:
    """Return the fault of a session that does not open, prints new errors, or does not come to a new hook-up."""
    subject = _subject(after)
    if after.trouble:
        known = bool(before.trouble)
        return Finding(
            subject=subject,
            question="opens",
            verdict=Verdict.FAULT,
            answer=f"{after.trouble}{' (as it did before)' if known else ''}",
            cause=Cause.SESSION_FAILS,
            remedy=ush("shell", "list"),
            puts_back=not known,
            elapsed_seconds=after.elapsed_seconds,
        )
    new_errors = [line for line in after.errors if line not in before.errors]
    if new_errors and not before.trouble:
        return Finding(
            subject=subject,
            question="opens without new errors",
            verdict=Verdict.FAULT,
            answer=new_errors[0],
            cause=Cause.SESSION_FAILS,
            puts_back=True,
        )
    name, value = aims.stamp
    if name and dict(after.variables).get(name) != value and is_fresh:
        return Finding(
            subject=subject,
            question="reads the wiring",
            verdict=Verdict.FAULT,
            answer="its startup files do not reach the hook-up",
            cause=Cause.HOOK_UP_NOT_REACHED,
            remedy=ush("shell", "list"),
            puts_back=True,
        )
    return None


def _won_against(found: Finding, directory: str, session: Session, aims: "_Aims", host: Host) -> Finding:
    """Return the finding of an entry, or that another one answers instead, with the line that puts it in front."""
    entries = session.search_path(aims.variable)
    winner = winner_against(directory, entries, aims.own) if found.passed and directory in aims.own else None
    if winner is None:
        return found
    where, remedy = way_out(winner.directory, dialect_named(session.shell), session.mode, host)
    by = f"{shown(winner.directory, host.home)}, which {where} puts in front" if where else winner.directory
    return Finding(
        subject=found.subject,
        question=f"{winner.command} starts from {shown(directory, host.home)}",
        verdict=Verdict.FAULT,
        answer=f"it starts from {by}",
        remedy=remedy or ush("path", "list", "--shell", session.shell, why="shows what puts it there"),
        elapsed_seconds=session.elapsed_seconds,
    )


def _value_finding(session: Session, name: str, value: str) -> Finding:
    there = dict(session.variables).get(name)
    return Finding(
        subject=_subject(session),
        question=f"has the variable {name}",
        verdict=verdict_of(passed=there == value),
        answer="yes" if there == value else ("it is not set" if there is None else f"it is {there!r}"),
        remedy="" if there == value else ush("shell", "list"),
        elapsed_seconds=session.elapsed_seconds,
    )


def _entry_finding(session: Session, variable: str, directory: str, home: str, *, times: int) -> Finding:
    entries = session.search_path(variable)
    found = entries.count(directory)
    place = f"at place {entries.index(directory) + 1} of {len(entries)}" if found == 1 else f"{found} times"
    return Finding(
        subject=_subject(session),
        question=f"has {'' if times else 'no '}{shown(directory, home)} on {variable}",
        verdict=verdict_of(passed=found == times),
        answer=place if found else ("yes" if times == 0 else "it is not there"),
        remedy=""
        if found == times
        else ush("path", "list", "--shell", session.shell, why="shows what puts it there"),
        elapsed_seconds=session.elapsed_seconds,
    )


def _subject(session: Session) -> str:
    return f"a new {session.mode.value} session of {session.shell}"
