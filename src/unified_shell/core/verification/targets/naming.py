"""From what somebody typed to targets: a name of any kind, a path, with its kind before it and a version bound behind."""

import difflib
import os
import re
from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace
from packaging.specifiers import InvalidSpecifier, SpecifierSet

from unified_shell.core.commands.preferred import all_choices
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.environments.model.registry import (
    Environment,
    all_environments,
    environment_names,
    find_environment,
)
from unified_shell.core.errors import UsageError, UshError, nearest
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.managed import all_managed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, everyone_locations
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.table import DIALECTS
from unified_shell.core.shells.sessions.path_faults import commands_in
from unified_shell.core.shells.startup.startup_files import read_startup_states
from unified_shell.core.shells.wiring.wiring import read_wiring
from unified_shell.core.suites.managed_suites import all_suites
from unified_shell.core.verification.packages.installed_metadata import read_installed

from .target import Kind, Target

__all__ = ["targets_named"]

BOUND = re.compile(r"^(?P<name>.+?)\s*(?P<bound>(?:===|[<>=!~]=|[<>]).*)$")
# What may be typed before a colon, and is looked for by name.
NAMED = (Kind.ENVIRONMENT, Kind.INTERPRETER, Kind.SUITE, Kind.COMMAND, Kind.VARIABLE, Kind.PACKAGE, Kind.MODULE)
WITH_BOUND = frozenset({Kind.COMMAND, Kind.SUITE, Kind.INTERPRETER, Kind.PACKAGE, Kind.MODULE, Kind.FILE})


def targets_named(words: Sequence[str], host: Host, locations: Locations) -> tuple[Target, ...]:
    """Return the targets that these words name; one that is of several kinds is each of them.

    Raises UsageError for a word that names nothing: which kinds were searched, and the nearest of each.
    """
    known = _Known.read(host, locations)
    return tuple(dict.fromkeys(target for word in words for target in _named(word, known, host, locations)))


class _Known(Struct, frozen=True, kw_only=True):
    """What there is, by kind; modules and packages with the environments that have them."""

    environments: tuple[str, ...]
    interpreters: tuple[str, ...]
    suites: frozenset[str]
    commands: frozenset[str]
    variables: frozenset[str]
    packages: Mapping[str, tuple[str, ...]]
    modules: Mapping[str, tuple[str, ...]]

    @classmethod
    def read(cls, host: Host, locations: Locations) -> "_Known":
        """Look at what there is, by files."""
        scopes = (locations, everyone_locations(host))
        wirings = [read_wiring(one) for one in scopes]
        entries = [one.directory for each in wirings for one in each.entries if one.variable == "PATH"]
        commands = {name for choice in all_choices(host, locations) for name in choice.names}
        for folder in dict.fromkeys((*entries, *host.search_path())):
            commands.update(commands_in(folder) if os.path.isabs(folder) else ())
        packages: dict[str, tuple[str, ...]] = {}
        modules: dict[str, tuple[str, ...]] = {}
        for environment in all_environments(host, locations):
            for project, there in _installed(environment).items():
                packages[project] = (*packages.get(project, ()), environment.name)
                for name in there:
                    modules[name] = (*modules.get(name, ()), environment.name)
        managed = [one.name for one in all_managed(host, locations)]
        return cls(
            environments=tuple({*environment_names(locations), *_shared(host, locations)}),
            interpreters=(*managed, *(one.name for one in read_adopted(locations))),
            suites=frozenset(
                name for one in all_suites(host, locations) for name in (one.name, one.description.name)
            ),
            commands=frozenset(commands),
            variables=frozenset(
                {one.name for each in wirings for one in each.variables}
                | {one.variable for each in wirings for one in each.entries}
                | {name for name, _ in host.variables if name.isupper()}
            ),
            packages=packages,
            modules=modules,
        )

    def by_kind(self) -> dict[Kind, Iterable[str]]:
        """Return all names of each kind."""
        return {
            Kind.ENVIRONMENT: self.environments,
            Kind.INTERPRETER: self.interpreters,
            Kind.SUITE: self.suites,
            Kind.COMMAND: self.commands,
            Kind.VARIABLE: self.variables,
            Kind.PACKAGE: self.packages,
            Kind.MODULE: self.modules,
        }


def _installed(environment: Environment) -> dict[str, tuple[str, ...]]:
    if not environment.contents.is_python:
        return {}
    return {project: one.imports for project, one in read_installed(environment).items()}


def _shared(host: Host, locations: Locations) -> list[str]:
    return [one.name for one in all_environments(host, locations) if one.everyones]


def _named(word: str, known: _Known, host: Host, locations: Locations) -> tuple[Target, ...]:
    text, bound = _split_bound(word)
    kind_text, colon, rest = text.partition(":")
    kind = next((one for one in Kind if one.value == kind_text), None) if colon else None
    name = rest if kind is not None else text
    if kind is None and name.partition("@")[2] in known.environments:
        kind = Kind.PACKAGE if canonicalize_name(name.partition("@")[0]) in known.packages else Kind.MODULE
    name, at, environment = name.partition("@") if kind in (Kind.MODULE, Kind.PACKAGE) else (name, "", "")
    if kind is Kind.PACKAGE:
        name = canonicalize_name(name)
    if at:
        find_environment(environment, host, locations)
    if kind is Kind.SESSIONS or (kind is None and name == "sessions"):
        return (Target(kind=Kind.SESSIONS, name=""),)
    if kind not in NAMED and ("/" in name or name in (".", "..")):
        found = _of_place(name, host, locations)
    elif (
        kind is Kind.MODULE
        or (kind is not None and kind in NAMED and name in known.by_kind()[kind])
        or (kind is Kind.PACKAGE and environment)
    ):
        found = (Target(kind=kind, name=name, environment=environment),)
    elif kind is None:
        found = tuple(
            Target(kind=each, name=name)
            for each, names in known.by_kind().items()
            if (canonicalize_name(name) if each is Kind.PACKAGE else name) in names
        )
        found = _settled(found, known)
    else:
        found = ()
    if not found:
        raise _unknown(name, kind, known)
    if bound and not any(one.kind in WITH_BOUND for one in found):
        raise UsageError(
            f"{name} is {_article(found[0].kind.value)}, which has no version to compare",
            next_step=ush("verify", name),
        )
    return tuple(replace(one, bound=bound) for one in found if not bound or one.kind in WITH_BOUND)


def _settled(found: tuple[Target, ...], known: _Known) -> tuple[Target, ...]:
    """Return the targets of a bare name: where it is a package, its modules come with it; a module that only environments
    have is looked for there.
    """
    kinds = {one.kind for one in found}
    kept = [one for one in found if not (one.kind is Kind.MODULE and Kind.PACKAGE in kinds)]
    return tuple(
        target
        for one in kept
        for target in (
            [replace(one, environment=each) for each in known.modules[one.name]] if one.kind is Kind.MODULE else [one]
        )
    )


def _split_bound(word: str) -> tuple[str, str]:
    """Return a name and the bound behind it; what only looks like one, as in a file's name, is part of the name."""
    match = BOUND.match(word)
    if match is None or os.path.exists(word):
        return word, ""
    try:
        SpecifierSet(match["bound"])
    except InvalidSpecifier as error:
        raise UsageError(
            f"{match['bound']!r} is not a valid version bound", next_step=ush("verify", f"{match['name']}>=1.2")
        ) from error
    return match["name"], match["bound"].replace(" ", "")


def _of_place(name: str, host: Host, locations: Locations) -> tuple[Target, ...]:
    """Return what a path is: an environment, a directory on a search path, a session script, a startup file, a program."""
    typed = os.path.expanduser(name) if name.startswith("~") else name
    place = Place(os.path.normpath(typed if os.path.isabs(typed) else join(host.working_directory, typed)))
    wiring, shared = read_wiring(locations), read_wiring(everyone_locations(host))
    entries = [one for one in (*wiring.entries, *shared.entries) if one.directory == place]
    if entries:
        return tuple(Target(kind=Kind.DIRECTORY, name=place, variable=one.variable) for one in entries)
    if any(one.file == place for one in (*wiring.scripts, *shared.scripts)):
        return (Target(kind=Kind.SCRIPT, name=place),)
    for environment in all_environments(host, locations):
        if os.path.realpath(place) == os.path.realpath(environment.prefix):
            return (Target(kind=Kind.ENVIRONMENT, name=environment.name),)
    for interpreter in all_managed(host, locations):
        if lies_in(place, interpreter.prefix) and (place in (interpreter.prefix, interpreter.executable)):
            return (Target(kind=Kind.INTERPRETER, name=interpreter.name),)
    if os.path.isdir(place) or place in host.search_path():
        return (Target(kind=Kind.DIRECTORY, name=place, variable="PATH"),)
    real = os.path.realpath(place)
    if os.path.lexists(place) and any(
        state.real == real for dialect in DIALECTS for state in read_startup_states(dialect, host)
    ):
        return (Target(kind=Kind.STARTUP_FILE, name=place),)
    if place.endswith(("/kernel.json", ".desktop")) and os.path.exists(place):
        return (Target(kind=Kind.OFFER, name=place),)
    if os.path.lexists(place):
        return (Target(kind=Kind.FILE, name=place),)
    raise UsageError(
        f"there is nothing at {name}", next_step=ush("look", os.path.dirname(place) or "/", why="what is there")
    )


def _unknown(name: str, kind: Kind | None, known: _Known) -> UshError:
    searched = {each: names for each, names in known.by_kind().items() if kind in (None, each)}
    kinds = ", ".join(f"{each.value}s" for each in searched) or "files and directories"
    near = [(each, found) for each, names in searched.items() if (found := nearest(name, names))]
    likest = max(near, key=lambda one: difflib.SequenceMatcher(None, name, one[1]).ratio(), default=None)
    hint = f"nearest: {', '.join(f'{each.value} {found}' for each, found in near)}" if near else ""
    return UsageError(
        f"nothing is called {name!r}: looked among {kinds}",
        where=hint or "nothing has a name like it",
        next_step=ush("verify", likest[1]) if likest else ush("look", name),
    )


def _article(word: str) -> str:
    return f"an {word}" if word[0] in "aeiou" else f"a {word}"
