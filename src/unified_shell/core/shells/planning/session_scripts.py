"""Scripts of a suite or of the person's own that new sessions read, each in the dialects that understand it."""

import os
import re
import stat
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, PlanLine, plan_line
from unified_shell.core.errors import Refused, UsageError, nearest, os_error_text
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.shells.dialects.dialect import Dialect, SessionScript
from unified_shell.core.shells.dialects.table import DIALECTS, dialect_named
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring

from .everyone import check_for_everyone
from .script_effects import ScriptEffects, try_script
from .update_lines import update_lines
from .variables import one_line
from .wiring_changes import WiringChange, plan_wiring

__all__ = ["dialect_of_script", "plan_script_add", "plan_script_drop", "script_lines"]

# A wait that a person notices each time a terminal opens.
SLOW_SECONDS = 0.5
MOST_TOLD = 8
# What only bash understands: elsewhere its value is empty, or the script ends with a bad substitution.
BASH_ONLY = re.compile(rb"\bBASH_SOURCE\b|\bshopt\b|^\s*function\s|\[\[|\bdeclare\b|\bexport -f\b", re.MULTILINE)


def plan_script_add(file: str, dialect: str, shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to let new sessions read a script. `dialect` empty: told by its name, first line and words.

    Raises UsageError where there is no such file, Refused for one that others can write and everyone would run.
    """
    place = _absolute(file, host)
    content = _content(place, file)
    written_in = dialect_named(dialect).name if dialect else dialect_of_script(place, content)
    if locations.scope is Scope.EVERYONE:
        check_for_everyone(os.path.dirname(place))
        if os.stat(place).st_mode & stat.S_IWOTH:
            raise Refused(f"{place} can be written by others", next_step=Command(words=("chmod", "o-w", place)))
    before, name = read_wiring(locations), shown(place, host.home)
    known = next((one for one in before.scripts if one.file == place), None)
    rank = known.rank if known else max([one.rank for one in before.scripts], default=0) + 1
    script = SessionScript(file=place, dialect=written_in, rank=rank)
    others = tuple(one for one in before.scripts if one.file != place)
    after = replace(before, scripts=tuple(sorted((*others, script), key=lambda one: one.rank)))
    lines = [
        *script_lines(script, shells),
        *_effect_lines(try_script(place, written_in, host), before),
    ]
    change = WiringChange(
        aim=f"Source {name} in new sessions",
        before=before,
        after=after,
        lines=tuple(lines),
        afterwards=update_lines(host, locations),
        nothing=f"new sessions already source {name}",
        script=script,
    )
    return plan_wiring(change, shells, host, locations)


def script_lines(script: SessionScript, shells: Sequence[Dialect]) -> list[PlanLine]:
    """Return the lines that tell of a session script: who reads it, and which of these shells cannot."""
    readers = tuple(one.name for one in DIALECTS if script.dialect in one.reads)
    return [
        plan_line(LineKind.ADD, About.SCRIPT, file=script.file, dialect=script.dialect, readers=readers),
        *(
            plan_line(LineKind.WARNING, About.SCRIPT_NOT_READ, shell=one.name)
            for one in shells
            if one.name not in readers
        ),
    ]


def _effect_lines(effects: ScriptEffects, wiring: Wiring) -> list[PlanLine]:
    """Say what the script did when it was tried: its time, what it prints, what it sets."""
    if effects.trouble:
        return [plan_line(LineKind.WARNING, About.SCRIPT_TROUBLE, trouble=effects.trouble)]
    slow = effects.elapsed_seconds > SLOW_SECONDS
    kind = LineKind.WARNING if slow else LineKind.NOTE
    lines = [plan_line(kind, About.SCRIPT_TIME, seconds=effects.elapsed_seconds, slow=slow)]
    if effects.printed:
        first = one_line(effects.printed[0])
        lines.append(plan_line(LineKind.NOTE, About.SCRIPT_PRINTS, lines_printed=len(effects.printed), first=first))
    if effects.variables:
        lines.append(plan_line(LineKind.NOTE, About.SCRIPT_SETS, variables=tuple(effects.variables)))
    for directory in effects.directories:
        wired = wiring.find("PATH", directory) is not None
        kind = LineKind.WARNING if wired else LineKind.NOTE
        lines.append(plan_line(kind, About.SCRIPT_PATH, directory=directory, wired=wired))
    return lines


def plan_script_drop(file: str, shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to let new sessions read a script no more; raises UsageError where they do not."""
    place, before = _absolute(file, host), read_wiring(locations)
    name = shown(place, host.home)
    if place not in {one.file for one in before.scripts}:
        near = nearest(name, [shown(one.file, host.home) for one in before.scripts])
        raise UsageError(
            f"{name} is not a session script of the wiring",
            where=f"did you mean {near}?" if near else "",
            next_step=ush("shell", "list"),
        )
    change = WiringChange(
        aim=f"Stop sourcing {name} in new sessions",
        before=before,
        after=_without(before, place),
        lines=(plan_line(LineKind.REMOVE, About.SCRIPT, file=place),),
        afterwards=("New sessions no longer source it; open sessions keep its effects.",),
    )
    return plan_wiring(change, shells, host, locations, hook=False)


def dialect_of_script(file: str, content: bytes) -> str:
    """Return the dialect that a script is written in: by its name's ending, first line, and bash's own words."""
    ending = os.path.splitext(file)[1]
    by_name = next((one.name for one in DIALECTS if ending in one.script_endings), "")
    if by_name:
        return by_name
    first = content.split(b"\n", 1)[0]
    if first.startswith(b"#!"):
        words = first[2:].split()
        program = os.path.basename(os.fsdecode(words[-1])) if words else ""
        named = next((one.name for one in DIALECTS if program in (one.name, *one.programs)), "")
        if named and named != "sh":
            return named
    return "bash" if BASH_ONLY.search(content) else "sh"


def _content(place: Place, file: str) -> bytes:
    try:
        with open(place, "rb") as opened:
            return opened.read(1 << 20)
    except IsADirectoryError as error:
        raise UsageError(f"{file!r} is a directory, not a script", next_step=ush("path", "add", place)) from error
    except OSError as error:
        raise UsageError(f"{file!r} cannot be read", where=os_error_text(error)) from error


def _readers(names: Sequence[str]) -> str:
    return f"read by {', '.join(names)}"


def _without(wiring: Wiring, place: Place) -> Wiring:
    return replace(wiring, scripts=tuple(one for one in wiring.scripts if one.file != place))


def _absolute(file: str, host: Host) -> Place:
    return Place(os.path.normpath(file if os.path.isabs(file) else join(host.working_directory, file)))
