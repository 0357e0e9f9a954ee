"""Registering interpreters in place, and choosing one by what a person says."""

import os
import re
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.errors import InterpreterUnusable, Refused, UnknownName, UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown, to_json_text
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import Command, Labelled, ush
from unified_shell.core.shells.dialects.dialect import Side
from unified_shell.core.shells.planning.search_paths import PathRequest, plan_path_add
from unified_shell.core.shells.startup.own_shells import chosen_shells

from .adopted import TABLE, Adopted, adopted_file, read_adopted
from .discovery import FoundInterpreter, discover, find_interpreters
from .facts import OLDEST_BASE, InterpreterFacts
from .languages import find_language, languages
from .managed import all_managed
from .other_languages import said_version
from .probing import probe
from .registered import forgetting_steps, registration_steps
from .requesting import version_fits
from .searching import language_of

__all__ = ["choose_interpreter", "plan_adopt", "plan_forget"]

PYTHON = "python"


def plan_adopt(path: str, name: str, host: Host, locations: Locations, *, side: str = "") -> Change:
    """Plan to register an interpreter that is there; `name` may be empty for one made of its version.

    With a `side` (`front` or `back`), its commands are put on PATH as well.
    """
    found = _read(_found_path(path, host), host)
    known = {one.name: one for one in read_adopted(locations)}
    same = next((one for one in known.values() if one.executable == found.executable), None)
    if same is not None and name in ("", same.name):
        said = f"{shown(same.executable, host.home)} is registered already, as {same.name}"
        return change_of(Plan(aim=said, nothing_to_do=said))
    chosen = name or _free_name(f"{found.language}-{found.version}", known)
    if chosen in known:
        raise Refused(
            f"the name {chosen!r} stands for {known[chosen].executable}",
            next_step=ush("interpreter", "drop", chosen),
        )
    one = Adopted(name=chosen, executable=found.executable, version=found.version, language=found.language)
    step = PutRecord(path=adopted_file(locations), keys=(TABLE, chosen), before="", after=to_json_text(one.record()))
    # Windows' registry has a place for Pythons alone (PEP 514).
    registration = registration_steps(chosen, found.facts, host) if found.facts is not None else ()
    plan = Plan(
        aim=f"Register {found.title} in place",
        lines=(
            plan_line(LineKind.ADD, About.INTERPRETER_ENTRY, name=chosen, place=found.executable),
            plan_line(LineKind.NOTE, About.INTERPRETER_UNCHANGED),
        ),
        afterwards=(_use_of(found, chosen),),
    )
    change = change_of(plan, prepare=lambda _staging: (step, *registration))
    if not side:
        return change
    place = PathRequest(directory=os.path.dirname(found.executable), side=Side(side), outermost=True)
    return merged(change, plan_path_add(place, chosen_shells(host), host, locations))


class _Read(Struct, frozen=True, kw_only=True):
    """An interpreter as it is: `facts` are a Python's."""

    executable: Place
    language: str
    title: str
    version: str
    facts: InterpreterFacts | None = None


def _read(path: str, host: Host) -> _Read:
    """Ask an interpreter what it is; raises InterpreterUnusable, and Refused for an environment's own."""
    language = find_language(language_of(os.path.basename(path)))
    if language is not None and language.name != PYTHON:
        version, trouble = said_version(language, path, host)
        if not version:
            raise InterpreterUnusable(
                f"{path} does not start as {language.title}: {trouble}",
                next_step=ush("interpreter", "list", why="those that start"),
            )
        title = f"{language.title} {version}"
        return _Read(executable=Place(path), language=language.name, title=title, version=version)
    facts = probe(path, host)
    if facts.environment_prefix:
        raise Refused(
            f"{facts.executable} belongs to the environment {facts.environment_prefix}; it is not an interpreter of its own",
            next_step=ush("interpreter", "adopt", facts.real_executable),
        )
    return _Read(
        executable=facts.executable, language=PYTHON, title=facts.title, version=facts.full_version, facts=facts
    )


def _use_of(found: _Read, name: str) -> Labelled:
    language = find_language(found.language)
    more = () if found.facts is not None else ("--language", found.language)
    if (found.facts.version >= OLDEST_BASE) if found.facts is not None else (language and language.library):
        return Labelled(
            label="Create an environment", step=ush("environment", "new", "study", *more, "--interpreter", name)
        )
    why = "too old for environments, which need 3.8" if found.facts is not None else ""
    return Labelled(label="Start it", step=Command(words=(found.executable,), why=why))


def plan_forget(name: str, host: Host, locations: Locations, dependants: Sequence[str]) -> Change:
    """Plan to forget a registered interpreter; it stays where it is. `dependants` are environments on it."""
    known = {one.name: one for one in read_adopted(locations)}
    if name not in known:
        raise UnknownName("registered interpreter", name, known, next_step=ush("interpreter", "list"))
    step = DropRecord(path=adopted_file(locations), keys=(TABLE, name), before=to_json_text(known[name].record()))
    notes = [plan_line(LineKind.NOTE, About.STILL_WORKS, environment=one) for one in dependants]
    plan = Plan(
        aim=f"Unregister the interpreter {name}; it stays where it is",
        lines=(plan_line(LineKind.REMOVE, About.INTERPRETER_ENTRY, name=name), *notes),
    )
    registration = forgetting_steps(name, host)
    return change_of(plan, prepare=lambda _staging: (step, *registration))


def choose_interpreter(wanted: str, host: Host, locations: Locations) -> InterpreterFacts:
    """Return the interpreter that is meant by a path, a registered name, a version, or nothing.

    Nothing means the newest one that a session finds, else the newest there is. Raises
    InterpreterUnusable where there is none, UsageError where the words fit none.
    """
    if "/" in wanted:
        return probe(_found_path(wanted, host), host)
    adopted = {one.name: one for one in read_adopted(locations)}
    if wanted in adopted:
        if adopted[wanted].language != PYTHON:
            raise InterpreterUnusable(
                f"{wanted} is an interpreter of another language ({adopted[wanted].language}), not a Python",
                next_step=ush(
                    "environment", "new", "NAME", "--language", adopted[wanted].language, "--interpreter", wanted
                ),
            )
        return probe(adopted[wanted].executable, host)
    kept = {one.name: one for one in all_managed(host, locations)}
    if wanted in kept:
        return probe(kept[wanted].executable, host)
    usable = [
        one for one in find_interpreters(host, [os.path.dirname(os.path.realpath(host.python))]) if _is_base(one)
    ]
    facts = [one.facts for one in usable if one.facts is not None]
    version = wanted.removeprefix("python").lstrip("-@ ")
    fitting = [one for one in facts if version_fits(one.full_version, version)]
    if not fitting and not version:
        raise InterpreterUnusable("there is no Python interpreter that starts", next_step=ush("look"))
    if not fitting:
        _tell_unfit(wanted, version, host)
        have = ", ".join(dict.fromkeys(one.full_version for one in facts)) or "none"
        numbers = re.fullmatch(r"[<>=!~]*\d+(\.\d+)*(,.*)?", version) is not None
        raise UsageError(
            f"no interpreter here is called {wanted!r}; there are: {have}",
            next_step=ush("interpreter", "get", "python", version) if numbers else ush("interpreter", "list"),
        )
    return max(fitting, key=lambda one: one.version) if version else fitting[0]


def _tell_unfit(wanted: str, version: str, host: Host) -> None:
    """Raise where an interpreter of that version is on this machine after all: off the usual places, or too old."""
    for one in discover(host, only_python=True, thorough=True).python:
        if one.facts is None or one.facts.environment_prefix or not version_fits(one.facts.full_version, version):
            continue
        if one.facts.version < OLDEST_BASE:
            raise UsageError(
                f"{one.facts.title} ({shown(one.facts.executable, host.home)}) is too old for environments, which need 3.8",
                next_step=(
                    ush("interpreter", "get", "python", "3.12", why="a newer one"),
                    "or",
                    ush("interpreter", "list"),
                ),
            )
        raise UsageError(
            f"{wanted!r} is on this machine, outside the usual places: {shown(one.facts.executable, host.home)}",
            next_step=ush("interpreter", "adopt", one.facts.executable, why="then try again"),
        )


def _is_base(found: FoundInterpreter) -> bool:
    facts = found.facts
    return facts is not None and not facts.environment_prefix and facts.version >= OLDEST_BASE


def _found_path(path: str, host: Host) -> str:
    full = path if os.path.isabs(path) else join(host.working_directory, path)
    if os.path.isdir(full):
        others = [command for one in languages() if one.name != PYTHON for command in (one.name, one.title)]
        for name in ("python3", "python", *others):
            for place in (join(full, "bin", name), join(full, name)):
                if is_executable_file(place):
                    return os.path.normpath(place)
    if not os.path.lexists(full):
        raise UsageError(f"there is no {path!r}", next_step=ush("interpreter", "list", why="those on this machine"))
    return os.path.normpath(full)


def _free_name(wanted: str, taken: Mapping[str, Adopted]) -> str:
    if wanted not in taken:
        return wanted
    return next(f"{wanted}-{number}" for number in range(2, len(taken) + 3) if f"{wanted}-{number}" not in taken)
