"""What a script changes in a session's variables: three runs in bare shells, so that it can be written down for every shell.

The first tells what it changes. The second has another home and a marked value in each changed variable, which tells what is
put before or after a value from what replaces it. The third begins with the first one's result, and tells what grows each time.
"""

import os
import re
import tempfile
from collections.abc import Iterable, Mapping

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.processes.variables_as_given import parse_variables, writing_words
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.sessions.shell_programs import SYSTEM_PATH, find_program

from .script_delta import ScriptDelta

__all__ = ["OWN_VARIABLES", "measure_script", "read_variables"]

# Each new session would wait as long: nobody keeps a script of 20 s.
LIMIT_SECONDS = 20.0
# What shells set themselves, and the tool's own.
OWN_VARIABLES = frozenset(
    {"_", "PWD", "OLDPWD", "SHLVL", "SHELL", "A__z", "LOGNAME", "USER", "HOST", "HOSTTYPE", "VENDOR", "HOME", "GROUP"}
    | {"MACHTYPE", "OSTYPE", "_USH_STARTED", "version"}
)
MARK = "/ush-was-here"
# How a shell's own list of its state names a thing.
STATES = (
    ("function", re.compile(r"declare -f\S* (\S+)")),
    ("alias", re.compile(r"alias (?:-- )?([^=\s]+)[=\s]")),
    ("option", re.compile(r"(?:shopt|set) -[so] (\S+)")),
    ("trap", re.compile(r"trap -- .* (\S+)$")),
)


class _Run(Struct, frozen=True, kw_only=True):
    """One reading: the variables before and after, the state before and after; `trouble` where it did not end."""

    before: Mapping[str, str]
    after: Mapping[str, str]
    states: tuple[tuple[str, str], ...] = ()
    trouble: str = ""


def measure_script(file: Place, dialect: str, host: Host, *, tree: Place, target: Place) -> ScriptDelta:
    """Read a script three times and return what it changes. It stands in `tree`, which will be at `target`: every place in
    the one is told as in the other, and directories outside are left out.
    """
    shell = dialect_named("bash") if dialect == "sh" and find_program(dialect_named("bash"), host) else None
    shell = shell or dialect_named(dialect)
    program = find_program(shell, host)
    if program is None:
        return ScriptDelta(trouble=f"{dialect} is not on this machine")
    with tempfile.TemporaryDirectory(prefix="ush-script-") as scratch:
        homes = [join(scratch, f"home-{number}") for number in (1, 2)]
        for home in homes:
            os.mkdir(home)
        base = {"PATH": SYSTEM_PATH, "LANG": "C.UTF-8", "TERM": "xterm", "USER": host.user_name}
        first = _read(file, shell, program, base | {"HOME": homes[0]}, scratch)
        if first.trouble:
            return ScriptDelta(trouble=first.trouble)
        changed = _changed(first)
        marked = {name: f"{MARK}:{SYSTEM_PATH}" if name == "PATH" else MARK for name in changed}
        second = _read(file, shell, program, base | marked | {"HOME": homes[1]}, scratch)
        third = _read(file, shell, program, {**first.after, "HOME": homes[0]}, scratch)
    if second.trouble:
        return ScriptDelta(trouble=second.trouble)
    places: dict[str, str] = {tree: target, homes[0]: host.home, homes[1]: host.home}
    found = _Sorting(first=first, second=second, places=places, tree=tree, target=target)
    growing = [name for name in changed if len(third.after.get(name, "")) > len(first.after.get(name, ""))]
    return found.delta(changed, tuple(growing))


class _Sorting(Struct, frozen=True, kw_only=True):
    """Telling what was added to a search path from what was set."""

    first: _Run
    second: _Run
    places: Mapping[str, str]
    tree: Place
    target: Place

    def delta(self, changed: Iterable[str], growing: tuple[str, ...]) -> ScriptDelta:
        """Return the change, from the two runs."""
        front: list[tuple[str, Place]] = []
        back: list[tuple[str, Place]] = []
        outside: list[tuple[str, Place]] = []
        values: list[tuple[str, str]] = []
        unclear: list[str] = []
        unset: list[str] = []
        empty: list[str] = []
        for name in changed:
            one, other = self.first.after.get(name), self.second.after.get(name)
            if other is not None and MARK in other.split(":"):
                before, after = _around(other.split(":"), name)
                # An empty entry is the current directory; only MANPATH means its defaults by one.
                empty += [name] if "" in (one or "").split(":") and name != "MANPATH" else []
                for side, entries in ((front, before), (back, after)):
                    for entry in filter(None, entries):
                        good = self._is_own(entry)
                        (side if good else outside).append((name, self._placed(entry)))
            elif one is None:
                unset.append(name)
            elif other is not None and self._placed(one) == self._placed(other) and MARK not in other:
                values.append((name, self._placed(one)))
            else:
                unclear.append(name)
        return ScriptDelta(
            front=tuple(dict.fromkeys(front)),
            back=tuple(dict.fromkeys(back)),
            values=tuple(values),
            unset=tuple(unset),
            outside=tuple(dict.fromkeys(outside)),
            empty_in=tuple(empty),
            growing=growing,
            session_only=self.first.states,
            unclear=tuple(unclear),
        )

    def _is_own(self, entry: str) -> bool:
        place = entry.replace(self.target, self.tree, 1) if lies_in(entry, self.target) else entry
        return lies_in(place, self.tree) and os.path.isdir(place)

    def _placed(self, text: str) -> Place:
        for old, new in self.places.items():
            text = text.replace(old, new)
        return Place(text)


def _around(entries: list[str], name: str) -> tuple[list[str], list[str]]:
    """Return the entries before the mark and after it, without those that were there."""
    at = entries.index(MARK)
    after = entries[at + 1 :]
    if name == "PATH":
        there = SYSTEM_PATH.split(":")
        after = after[len(there) :] if after[: len(there)] == there else [one for one in after if one not in there]
    return entries[:at], after


def _changed(run: _Run) -> list[str]:
    names = {*run.before, *run.after} - OWN_VARIABLES
    return sorted(name for name in names if run.before.get(name) != run.after.get(name))


def _read(file: Place, shell: Dialect, program: str, variables: Mapping[str, str], scratch: str) -> _Run:
    first, last, was, now = (join(scratch, name) for name in ("first", "last", "was", "now"))
    write = " ".join(map(shell.quote, writing_words()))
    lines = (
        f"{write} {shell.quote(first)}",
        shell.state_line(was),
        shell.source_line(file),
        # By its whole name: the script may have changed where commands are looked for.
        f"{write} {shell.quote(last)}",
        shell.state_line(now),
    )
    for one in (last, was, now):
        if os.path.exists(one):
            os.unlink(one)
    with open(join(scratch, "read"), "w", encoding="utf-8", errors="surrogateescape") as out:
        out.write("\n".join(filter(None, lines)) + "\n")
    ran = run_program(
        (program, *shell.bare_words, join(scratch, "read")),
        environment=variables,
        timeout_seconds=LIMIT_SECONDS,
        directory="/",
        with_descendants=True,
    )
    if not os.path.exists(last):
        return _Run(before={}, after={}, trouble=ran.trouble or "it ends the session")
    states = sorted(_states(now) - _states(was))
    return _Run(before=read_variables(first), after=read_variables(last), states=tuple(states))


def _states(file: str) -> set[tuple[str, str]]:
    if not os.path.exists(file):
        return set()
    with open(file, encoding="utf-8", errors="replace") as opened:
        lines = opened.read().splitlines()
    return {(kind, match[1]) for line in lines for kind, pattern in STATES if (match := pattern.match(line))}


def read_variables(file: str) -> dict[str, str]:
    """Return the variables that were written into a file."""
    with open(file, "rb") as opened:
        return dict(parse_variables(opened.read()))
