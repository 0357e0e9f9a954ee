"""Which interpreters and environments have a module: from files first, then by importing it in each."""

import os
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from unified_shell.core.commands.states import State
from unified_shell.core.distributions.import_names import import_names
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.environments.known import Environment, all_environments
from unified_shell.core.environments.running import entered_variables
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
from unified_shell.core.shells.dialects.dialect import Mode
from unified_shell.core.shells.hookup import chosen_shells
from unified_shell.core.shells.sessions import open_session

from .providers import Provider, providers_of

__all__ = ["Holder", "ModuleReport", "look_for_module"]

MODULE_SECONDS = 30.0
MISSING = re.compile(r"No module named '([\w.]+)'")
NOT_IN = re.compile(r"cannot import name '(\w+)' from (?:partially initialized module )?'([\w.]+)'")
BUILT_FOR = re.compile(r"\.(cpython|pypy)-?(\d)(\d+)")
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
    modules are called otherwise; `providers` are projects that are known to bring the module.
    """

    name: str
    state: State
    holders: tuple[Holder, ...]
    without: tuple[str, ...]
    import_as: tuple[str, ...]
    remedy: str
    providers: tuple[Provider, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class _Asked:
    """Whom to ask, with the variables that it would be started with."""

    owner: str
    executable: Place
    facts: InterpreterFacts
    variables: Mapping[str, str]
    environment: str = ""
    is_session: bool = False


def look_for_module(name: str, host: Host, locations: Locations) -> ModuleReport:
    """Ask every interpreter that is known for a module of that name, whatever its language."""
    found, session_variables = discover(host), _new_session(host)
    pythons = _pythons(found, host, locations, session_variables)
    questions: list[Callable[[], Holder]] = []
    language = find_language("python")
    if language is not None and language.is_module_name(name):
        questions += [_python_question(name, one) for one in pythons]
    questions += [
        _other_question(name, one, {**host.environment(), **session_variables})
        for one in found.others
        if one.version and language_named(one.language).is_module_name(name)
    ]
    answers = map_at_once(lambda ask: ask(), questions)
    holders = tuple(one for one in answers if one.state is not State.ABSENT)
    session = next((one for one in pythons if one.is_session), None)
    state = _summary(holders, session)
    providers = providers_of(name, host, locations) if state is not State.READY else ()
    return ModuleReport(
        name=name,
        state=state,
        holders=holders,
        without=tuple(one.owner for one in answers if one.state is State.ABSENT),
        import_as=() if holders else _import_names(name, pythons),
        remedy="" if state is State.READY else _remedy(name, holders, pythons, providers, host),
        providers=providers,
    )


def _new_session(host: Host) -> dict[str, str]:
    """Return the variables of a new session of the person's shell; of this session where none can be opened."""
    for dialect in chosen_shells(host)[:1]:
        session = open_session(dialect, Mode.INTERACTIVE, host)
        if not session.trouble:
            return dict(session.variables)
    return host.environment()


def _pythons(
    found: AllInterpreters, host: Host, locations: Locations, session_variables: Mapping[str, str]
) -> list[_Asked]:
    """Return the Pythons to ask, each once: what a session starts first, then environments, then the others."""
    known = {one.prefix: one for one in all_environments(host, locations)}
    asked: dict[str, _Asked] = {}
    first = next((one for one in found.python if one.on_path and one.facts is not None), None)
    for one in found.python:
        if one.facts is not None:
            _add(asked, one, one.facts, known, host=host, session=session_variables, is_session=one is first)
    for environment in known.values():
        if environment.prefix not in asked and (facts := _facts_of(environment, host)) is not None:
            asked[environment.prefix] = _Asked(
                owner=f"environment {environment.name}",
                executable=environment.layout.python,
                facts=facts,
                variables=_entered(environment.prefix, host, session_variables),
                environment=environment.name,
            )
    return list(asked.values())


def _add(
    asked: dict[str, _Asked],
    one: FoundInterpreter,
    facts: InterpreterFacts,
    known: dict[Place, Environment],
    *,
    host: Host,
    session: Mapping[str, str],
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
            variables=_entered(environment.prefix, host, session)
            if environment
            else {**clean_variables(host), **session},
            environment=environment.name if environment else "",
            is_session=is_session,
        )


def _entered(prefix: Place, host: Host, session: Mapping[str, str]) -> dict[str, str]:
    """Return the variables of a new session in which an environment was entered."""
    return entered_variables(prefix, replace(host, variables=tuple(session.items())))


def _facts_of(environment: Environment, host: Host) -> InterpreterFacts | None:
    from unified_shell.core.errors import InterpreterUnusable

    try:
        return probe(environment.layout.python, host)
    except InterpreterUnusable:
        return None


def _python_question(name: str, one: _Asked) -> Callable[[], Holder]:
    def ask() -> Holder:
        more = [folder for folder in one.variables.get("PYTHONPATH", "").split(os.pathsep) if folder]
        there = place_of_module(name, one.facts, more)
        program = str(Path(__file__).with_name("import_one.py"))
        ran = run_program(
            (one.executable, "-B", "-W", "ignore", program, name),
            environment=one.variables,
            timeout_seconds=MODULE_SECONDS,
        )
        state = State.READY if ran.returncode == 0 else IMPORT_CODES.get(ran.returncode or 0, State.BROKEN)
        why = "" if state in (State.READY, State.ABSENT) else ran.trouble
        file = _last_line(ran.output) if state is State.READY else str(there or "")
        # It, or a compiled part of it that is not found, may be there for another interpreter.
        missing = _missing(ran.errors.decode("utf-8", "replace")) if state is not State.READY else []
        sought = [name, *(part for part in missing if part.startswith(f"{name.partition('.')[0]}."))]
        foreign = next(filter(None, (foreign_extension(part, one.facts, more) for part in sought)), None)
        if state is not State.READY and foreign and not place_of_module(sought[-1], one.facts, more):
            state, file, why = State.MISMATCHED, str(foreign), _made_for(foreign)
        return _holder(one, state, file, why)

    return ask


def _missing(errors: str) -> list[str]:
    """Return the modules that were not found, as the interpreter names them."""
    return [*MISSING.findall(errors), *(f"{module}.{part}" for part, module in NOT_IN.findall(errors))]


def _made_for(file: str) -> str:
    """Say which interpreter an extension was compiled for, by its name (PEP 3149)."""
    found = BUILT_FOR.search(os.path.basename(file))
    return f"was compiled for {found[1]} {found[2]}.{found[3]}" if found else "was compiled for another interpreter"


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


def _other_question(name: str, one: OtherInterpreter, variables: Mapping[str, str]) -> Callable[[], Holder]:
    def ask() -> Holder:
        language = language_named(one.language)
        ran = run_program(
            (one.names[0], *(word.replace("{name}", name) for word in language.module)),
            environment=undisturbed(language, variables),
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


def _remedy(
    name: str, holders: Sequence[Holder], pythons: Sequence[_Asked], providers: Sequence[Provider], host: Host
) -> str:
    ready = [one for one in holders if one.state is State.READY]
    for one in ready:
        if one.environment:
            return f"ush environment run {typed(one.environment)} -- python -c 'import {name}'"
    if ready:
        return f"{typed(ready[0].executable, host.home)}   ({ready[0].owner} has it)"
    imports = _import_names(name, pythons)
    if imports:
        return f"ush look module:{typed(imports[0])}   (that is how {name} is imported)"
    if not providers:
        return ""
    environment = next((one.environment for one in pythons if one.environment), "")
    if not environment:
        return "ush environment new study"
    return f"ush package get {typed(providers[0].project)} -e {typed(environment)}"


def _last_line(output: bytes) -> str:
    lines = os.fsdecode(output).strip().splitlines()
    return lines[-1] if lines else ""


def _first_line(errors: bytes) -> str:
    lines = errors.decode("utf-8", "replace").strip().splitlines()
    return lines[0] if lines else ""
