"""Which interpreters and environments have a module: from files first, then by importing it in each."""

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from unified_shell.core.commands.states import State
from unified_shell.core.distributions.import_names import import_names
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.environments.known import Environment, all_environments
from unified_shell.core.interpreters.discovery import AllInterpreters, FoundInterpreter, discover
from unified_shell.core.interpreters.facts import InterpreterFacts, clean_variables, probe
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.interpreters.other_languages import OtherInterpreter, language_named, undisturbed
from unified_shell.core.interpreters.places_of_modules import distribution_folders, foreign_extension, place_of_module
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, typed
from unified_shell.core.machine.pool import map_at_once
from unified_shell.core.machine.processes import run_program

__all__ = ["Holder", "ModuleReport", "look_for_module"]

MODULE_SECONDS = 30.0
IMPORT_CODES = {3: State.ABSENT, 4: State.BROKEN, 5: State.BROKEN}


@dataclass(frozen=True, slots=True, kw_only=True)
class Holder:
    """What a module is to one interpreter or environment, named by `owner`; `file` is empty where it is unknown."""

    owner: str
    language: str
    version: str
    word_size_bits: int
    executable: Place
    environment: str
    state: State
    file: Place
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ModuleReport:
    """What is known of a module; `holders` have it in some state, `without` do not have it.

    `state` is that for the Python of this session. `import_as` is set where the name is a project's, and its
    modules are called otherwise.
    """

    name: str
    state: State
    holders: tuple[Holder, ...]
    without: tuple[str, ...]
    import_as: tuple[str, ...]
    remedy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class _Asked:
    owner: str
    executable: Place
    facts: InterpreterFacts
    environment: str = ""
    is_session: bool = False


def look_for_module(name: str, host: Host, locations: Locations) -> ModuleReport:
    """Ask every interpreter that is known for a module of that name, whatever its language."""
    found = discover(host)
    pythons = _pythons(found, host, locations)
    questions: list[Callable[[], Holder]] = []
    language = find_language("python")
    if language is not None and language.is_module_name(name):
        questions += [_python_question(name, one, host) for one in pythons]
    questions += [
        _other_question(name, one, host)
        for one in found.others
        if one.version and language_named(one.language).is_module_name(name)
    ]
    answers = map_at_once(lambda ask: ask(), questions)
    holders = tuple(one for one in answers if one.state is not State.ABSENT)
    session = next((one for one in pythons if one.is_session), None)
    state = _summary(holders, session)
    return ModuleReport(
        name=name,
        state=state,
        holders=holders,
        without=tuple(one.owner for one in answers if one.state is State.ABSENT),
        import_as=() if holders else _import_names(name, pythons),
        remedy="" if state is State.READY else _remedy(name, holders, pythons, host),
    )


def _pythons(found: AllInterpreters, host: Host, locations: Locations) -> list[_Asked]:
    """Return the Pythons to ask, each once: what a session starts first, then environments, then the others."""
    known = {one.prefix: one for one in all_environments(host, locations)}
    asked: dict[str, _Asked] = {}
    first = next((one for one in found.python if one.on_path and one.facts is not None), None)
    for one in found.python:
        if one.facts is not None:
            _add(asked, one, one.facts, known, is_session=one is first)
    for environment in known.values():
        if environment.prefix not in asked and (facts := _facts_of(environment, host)) is not None:
            asked[environment.prefix] = _Asked(
                owner=f"environment {environment.name}",
                executable=environment.layout.python,
                facts=facts,
                environment=environment.name,
            )
    return list(asked.values())


def _add(
    asked: dict[str, _Asked],
    one: FoundInterpreter,
    facts: InterpreterFacts,
    known: dict[Place, Environment],
    *,
    is_session: bool,
) -> None:
    prefix = facts.environment_prefix or facts.base_prefix
    environment = known.get(Place(prefix))
    owner = f"environment {environment.name}" if environment else facts.title
    if facts.environment_prefix and environment is None:
        owner = f"environment {facts.environment_prefix}"
    key = prefix if facts.environment_prefix else f"{prefix}\0{facts.full_version}"
    if key not in asked:
        asked[key] = _Asked(
            owner=owner,
            executable=facts.executable if not one.script else one.names[0],
            facts=facts,
            environment=environment.name if environment else "",
            is_session=is_session,
        )


def _facts_of(environment: Environment, host: Host) -> InterpreterFacts | None:
    from unified_shell.core.errors import InterpreterUnusable

    try:
        return probe(environment.layout.python, host)
    except InterpreterUnusable:
        return None


def _python_question(name: str, one: _Asked, host: Host) -> Callable[[], Holder]:
    def ask() -> Holder:
        there = place_of_module(name, one.facts)
        foreign = None if there else foreign_extension(name, one.facts)
        variables = clean_variables(host)
        if not one.environment and (paths := host.variable("PYTHONPATH")):
            variables["PYTHONPATH"] = paths
        program = str(Path(__file__).with_name("import_one.py"))
        ran = run_program(
            (one.executable, "-B", "-W", "ignore", program, name),
            environment=variables,
            timeout_seconds=MODULE_SECONDS,
        )
        state = State.READY if ran.returncode == 0 else IMPORT_CODES.get(ran.returncode or 0, State.BROKEN)
        why = "" if state in (State.READY, State.ABSENT) else ran.trouble
        file = _last_line(ran.output) if state is State.READY else str(there or "")
        if state is State.ABSENT and foreign:
            state, file, why = State.MISMATCHED, str(foreign), "was compiled for another interpreter"
        return _holder(one, state, file, why)

    return ask


def _holder(one: _Asked, state: State, file: str, why: str) -> Holder:
    return Holder(
        owner=one.owner,
        language="Python",
        version=one.facts.full_version,
        word_size_bits=one.facts.word_size_bits,
        executable=one.executable,
        environment=one.environment,
        state=state,
        file=Place(file),
        why=why,
    )


def _other_question(name: str, one: OtherInterpreter, host: Host) -> Callable[[], Holder]:
    def ask() -> Holder:
        language = language_named(one.language)
        ran = run_program(
            (one.names[0], *(word.replace("{name}", name) for word in language.module)),
            environment=undisturbed(language, host.environment()),
            timeout_seconds=MODULE_SECONDS,
            given=language.module_input.replace("{name}", name).encode(),
        )
        state, why = State.READY, ""
        if ran.returncode != 0:
            absent = language.says_absent(name, ran.errors.decode("utf-8", "replace"))
            state = State.ABSENT if absent else State.BROKEN
            why = "" if absent else _first_line(ran.errors) or ran.trouble
        return Holder(
            owner=f"{one.title} {one.version}",
            language=one.title,
            version=one.version,
            word_size_bits=one.word_size_bits,
            executable=one.names[0],
            environment="",
            state=state,
            file=Place(_last_line(ran.output) if state is State.READY else ""),
            why=why,
        )

    return ask


def _summary(holders: Sequence[Holder], session: _Asked | None) -> State:
    here = next((one for one in holders if session is not None and one.executable == session.executable), None)
    if here is not None:
        return here.state
    if any(one.state is State.READY for one in holders):
        return State.HIDDEN if any(one.language == "Python" for one in holders) else State.READY
    return holders[0].state if holders else State.ABSENT


def _import_names(project: str, pythons: Sequence[_Asked]) -> tuple[str, ...]:
    for one in pythons:
        for folder in distribution_folders(one.facts.site_folders, project):
            record = read_file(join(folder, "RECORD"))
            if record is not None:
                files = [row.path for row in parse_record(record[0], folder)]
                return tuple(import_names(project, files))
    return ()


def _remedy(name: str, holders: Sequence[Holder], pythons: Sequence[_Asked], host: Host) -> str:
    ready = [one for one in holders if one.state is State.READY]
    for one in ready:
        if one.environment:
            return f"ush environment run {typed(one.environment)} -- python -c 'import {name}'"
    if ready:
        return f"{typed(ready[0].executable, host.home)}   ({ready[0].owner} has it)"
    imports = _import_names(name, pythons)
    if imports:
        return f"ush look module:{typed(imports[0])}   (that is how {name} is imported)"
    environment = next((one.environment for one in pythons if one.environment), "")
    return f"ush package get {typed(name)} -e {typed(environment or 'ENVIRONMENT')}"


def _last_line(output: bytes) -> str:
    lines = os.fsdecode(output).strip().splitlines()
    return lines[-1] if lines else ""


def _first_line(errors: bytes) -> str:
    lines = errors.decode("utf-8", "replace").strip().splitlines()
    return lines[0] if lines else ""
