"""Which interpreters and environments have a module: from files first, then by importing it in each."""

from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.commands.states import State
from unified_shell.core.distributions.import_names import import_names
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.environments.model.registry import Environment, all_environments
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.discovery import AllInterpreters, FoundInterpreter, discover
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.interpreters.module_builds import build_of
from unified_shell.core.interpreters.module_places import distribution_folders
from unified_shell.core.interpreters.other_languages import language_named
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, typed
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.dialects.dialect import Mode
from unified_shell.core.shells.dialects.table import SH
from unified_shell.core.shells.sessions.sessions import BegunSession
from unified_shell.core.shells.startup.own_shells import chosen_shells
from unified_shell.core.verification.names.providers import Provider

from .module_questions import AskedPython, Holder, entered, library_question, other_question, python_question

__all__ = ["Holder", "ModuleReport", "look_for_module"]


class ModuleReport(Struct, frozen=True, kw_only=True):
    """What is known of a module; `holders` have it in some state, `without` do not have it.

    `state` is that for the Python of this session. `import_as` is set where the name is a project's, and its
    modules are called otherwise; `providers` are projects that are known to bring the module.
    """

    name: str
    state: State
    holders: tuple[Holder, ...]
    without: tuple[str, ...]
    import_as: tuple[str, ...]
    remedy: NextStep
    providers: tuple[Provider, ...] = ()


def look_for_module(name: str, host: Host, locations: Locations) -> ModuleReport:
    """Ask every interpreter that is known for a module of that name, whatever its language."""
    with _new_session(host) as session:
        found = discover(host)
        session_variables = _variables(session, host)
    environments = all_environments(host, locations)
    pythons = _pythons(found, host, environments, session_variables)
    questions: list[Callable[[], Holder]] = []
    language = find_language("python")
    if language is not None and language.is_module_name(name):
        questions += [python_question(name, one) for one in pythons]
    questions += [
        other_question(name, one, {**host.environment(), **session_variables})
        for one in found.others
        if one.version and language_named(one.language).is_module_name(name)
    ]
    questions += [
        library_question(name, one, host, session_variables)
        for one in environments
        if not one.contents.is_python and language_named(one.contents.language).is_module_name(name)
    ]
    answers = map_at_once(lambda ask: ask(), questions)
    holders = tuple(one for one in answers if one.state is not State.ABSENT)
    here = next((one for one in pythons if one.is_session), None)
    state = _summary(holders, here)
    providers = _providers(name, host, locations) if state is not State.READY else ()
    return ModuleReport(
        name=name,
        state=state,
        holders=holders,
        without=tuple(one.owner for one in answers if one.state is State.ABSENT),
        import_as=() if holders else _import_names(name, pythons),
        remedy="" if state is State.READY else _remedy(name, holders, pythons, providers, host),
        providers=providers,
    )


def _providers(name: str, host: Host, locations: Locations) -> tuple[Provider, ...]:
    # Loaded where it is asked for: it reads wheels, and what is kept of indexes.
    from unified_shell.core.verification.names.known_providers import providers_of

    return providers_of(name, host, locations)


def _new_session(host: Host) -> BegunSession:
    """Return a new session of the person's shell, to be begun."""
    shell = next(iter(chosen_shells(host)), SH)
    return BegunSession(shell, Mode.INTERACTIVE, host)


def _variables(session: BegunSession, host: Host) -> dict[str, str]:
    """Return the variables of a new session; of this one where none can be opened."""
    seen = session.result()
    return host.environment() if seen.trouble else dict(seen.variables)


def _pythons(
    found: AllInterpreters, host: Host, environments: Sequence[Environment], session_variables: Mapping[str, str]
) -> list[AskedPython]:
    """Return the Pythons to ask, each once: what a session starts first, then environments, then the others."""
    known = {one.prefix: one for one in environments if one.contents.is_python}
    asked: dict[str, AskedPython] = {}
    first = next((one for one in found.python if one.on_path and one.facts is not None), None)
    for one in found.python:
        if one.facts is not None:
            _add(asked, one, one.facts, known, host=host, session=session_variables, is_session=one is first)
    for environment in known.values():
        if environment.prefix not in asked and (facts := _facts_of(environment, host)) is not None:
            asked[environment.prefix] = AskedPython(
                owner=f"environment {environment.name}",
                executable=environment.layout.python,
                facts=facts,
                variables=entered(environment.prefix, host, session_variables),
                environment=environment.name,
            )
    return list(asked.values())


def _add(
    asked: dict[str, AskedPython],
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
        asked[key] = AskedPython(
            owner=owner,
            executable=facts.executable if not one.script else one.names[0],
            facts=facts,
            variables=entered(environment.prefix, host, session)
            if environment
            else {**clean_variables(host), **session},
            environment=environment.name if environment else "",
            is_session=is_session,
        )


def _facts_of(environment: Environment, host: Host) -> InterpreterFacts | None:
    from unified_shell.core.errors import InterpreterUnusable

    try:
        return probe(environment.layout.python, host)
    except InterpreterUnusable:
        return None


def _summary(holders: Sequence[Holder], session: AskedPython | None) -> State:
    here = next((one for one in holders if session is not None and one.executable == session.executable), None)
    if here is not None:
        return here.state
    ready = [one for one in holders if one.state is State.READY]
    if ready:
        apart = any(one.language == "Python" for one in holders) or all(one.environment for one in ready)
        return State.HIDDEN if apart else State.READY
    return holders[0].state if holders else State.ABSENT


def _import_names(project: str, pythons: Sequence[AskedPython]) -> tuple[str, ...]:
    for one in pythons:
        for folder in distribution_folders(one.facts.site_folders, project):
            record = read_file(join(folder, "RECORD"))
            if record is not None:
                files = [row.path for row in parse_record(record[0], folder)]
                return tuple(import_names(project, files))
    return ()


def _remedy(
    name: str, holders: Sequence[Holder], pythons: Sequence[AskedPython], providers: Sequence[Provider], host: Host
) -> NextStep:
    ready = [one for one in holders if one.state is State.READY]
    for one in ready:
        if one.environment and one.language == "Python":
            return ush("environment", "run", one.environment, "--", "python", "-c", f"import {name}")
        if one.environment:
            return ush("environment", "enter", one.environment, why=f"its {one.language} has it")
    if ready:
        return f"{typed(ready[0].executable, host.home)}   ({ready[0].owner} has it)"
    mismatched = next((one for one in holders if one.state is State.MISMATCHED and one.language == "Python"), None)
    if mismatched is not None:
        return _loader(mismatched.file, pythons, host)
    imports = _import_names(name, pythons)
    if imports:
        return ush("look", f"module:{imports[0]}", why=f"its import name, by {name}")
    if not providers:
        return ""
    environment = next((one.environment for one in pythons if one.environment), "")
    if not environment:
        return ush("environment", "new", "study")
    return ush("package", "get", providers[0].project, "-e", environment)


def _loader(file: str, pythons: Sequence[AskedPython], host: Host) -> NextStep:
    """Say which Python here could load a compiled file, or what to get."""
    fitting = next((one for one in pythons if not one.misfit(file)), None)
    if fitting is not None and fitting.environment:
        return ush("environment", "enter", fitting.environment, why="its Python could load it")
    if fitting is not None:
        return f"{typed(fitting.executable, host.home)}   ({fitting.facts.title} could load it)"
    build = build_of(file)
    if build.misfit(build.version, host.word_size_bits, host.architecture):
        return ""
    return ush("interpreter", "get", "python", build.version, why="no Python here could load it")
