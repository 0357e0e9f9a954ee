"""The environments of this account: found by their links, named by their names or by a path."""

import contextlib
import os

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.errors import CouldNot, Refused, UnknownName, UsageError, UshError, os_error_text
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.machine.path_rules import HERE
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

from .adopted import adopted_places, is_protected
from .contents import Contents, read_contents
from .layout import Layout, edition_number, link_place

__all__ = [
    "Environment",
    "all_environments",
    "check_changeable",
    "check_name",
    "environment_names",
    "every_environment",
    "find_environment",
    "hidden_environment",
    "list_environments",
    "unreadable_environments",
    "why_unreadable",
]


class Environment(Struct, frozen=True, kw_only=True):
    """An environment: `prefix` is its link, by which everything in it is known.

    `everyones` says that it is everyone's, and was found from a person's own account, which does not change it.
    One that something else made is `foreign`: its prefix is its folder, it has no editions, and it is not changed.
    """

    name: str
    prefix: Place
    edition: int
    contents: Contents
    protected: bool = False
    foreign: bool = False
    everyones: bool = False
    scope: Scope = Scope.ME

    @property
    def naming(self) -> tuple[str, ...]:
        """The words that name it in a call that reads: `-e hive`."""
        return ("-e", self.name)

    @property
    def changing(self) -> tuple[str, ...]:
        """The words that name it in a call that changes it: with who it is for, where it is not for me."""
        return (*self.naming, *self.scope_words)

    @property
    def scope_words(self) -> tuple[str, ...]:
        """The words of a changing call that say who it is for; none for me."""
        return () if self.scope is Scope.ME else ("--for", self.scope.value)

    @property
    def short_version(self) -> str:
        """`3.11`."""
        return ".".join(self.contents.python.split(".")[:2])

    @property
    def title(self) -> str:
        """Its interpreter, for people: `Python 3.11.7`."""
        table = find_language(self.contents.language)
        return f"{table.title if table is not None else self.contents.language} {self.contents.python}"

    @property
    def is_base_gone(self) -> bool:
        """Tell whether its interpreter is not where it was when it was made."""
        place = self.contents.interpreter
        return bool(place) and not os.path.exists(place)

    @property
    def layout(self) -> Layout:
        """Where things are in it."""
        is_windows = self.contents.interpreter.lower().endswith(".exe")
        return Layout(prefix=self.prefix, short_version=self.short_version, is_windows=is_windows)


def environment_names(locations: Locations) -> tuple[str, ...]:
    """Return the names, sorted."""
    try:
        names = os.listdir(join(locations.data, "environments"))
    except OSError:
        names = []
    return tuple(sorted({*(name for name in names if not name.startswith(".")), *adopted_places(locations)}))


def list_environments(locations: Locations) -> tuple[Environment, ...]:
    """Return the environments that are whole; what is wrong with one is not in the way of the others."""
    found = []
    for name in environment_names(locations):
        with contextlib.suppress(UshError, OSError):
            if (one := _read(name, locations)) is not None:
                found.append(one)
    return tuple(found)


def unreadable_environments(locations: Locations) -> dict[str, str]:
    """Return the names of environments whose own file cannot be read, with why."""
    why = {name: why_unreadable(name, locations) for name in environment_names(locations)}
    return {name: one for name, one in why.items() if one}


def why_unreadable(name: str, locations: Locations) -> str:
    """Say why what an environment holds cannot be read; empty where it can, or where there is none of that name."""
    try:
        _read(name, locations)
    except UshError as error:
        return error.message
    except OSError as error:
        return os_error_text(error)
    return ""


def every_environment(locations: Locations) -> tuple[Environment, ...]:
    """Return the environments of one scope that are whole, those of commands' own too."""
    top = join(locations.data, "environments")
    hidden = [name for name in (os.listdir(top) if os.path.isdir(top) else ()) if name.startswith(".")]
    found = list(list_environments(locations))
    for name in sorted(hidden):
        with contextlib.suppress(UshError, OSError):
            if (one := _read(name, locations)) is not None:
                found.append(one)
    return tuple(found)


def all_environments(host: Host, locations: Locations) -> tuple[Environment, ...]:
    """Return mine, then everyone's."""
    return (*list_environments(locations), *_everyones(host, locations))


def find_environment(name: str, host: Host, locations: Locations) -> Environment:
    """Return an environment by its name, mine before everyone's, or by a path where there is a slash in it.

    Raises UnknownName and UsageError.
    """
    if "/" in name:
        full = os.path.normpath(name if os.path.isabs(name) else join(host.working_directory, name))
        adopted = adopted_places(locations)
        for known in environment_names(locations):
            link = adopted.get(known) or link_place(locations.data, known)
            if full == link or os.path.realpath(full) == os.path.realpath(link):
                return find_environment(known, host, locations)
        for one in _everyones(host, locations):
            if full == one.prefix or os.path.realpath(full) == os.path.realpath(one.prefix):
                return one
        if os.path.exists(join(full, "pyvenv.cfg")):
            raise Refused(
                f"{full} was not made by ush, and is protected",
                next_step=(ush("environment", "copy", full, "NEW"), "or", ush("environment", "adopt")),
            )
        python = join(full, "bin", "python3")
        if os.path.exists(python):
            raise Refused(
                f"{full} is an interpreter, not an environment: ush installs nothing into an interpreter",
                next_step=ush("environment", "new", "NAME", "--interpreter", python),
            )
        raise UsageError(f"{name!r} is not an environment", next_step=ush("environment", "list"))
    found = None
    if name and not name.startswith("."):
        found = _read(name, locations) or next((o for o in _everyones(host, locations) if o.name == name), None)
    if found is None:
        names = {one.name for one in _everyones(host, locations)} | set(environment_names(locations))
        raise UnknownName("environment", name, sorted(names), next_step=ush("environment", "list"))
    return found


def hidden_environment(name: str, locations: Locations) -> Environment:
    """Return the environment of a command's own, whose name begins with a dot; raises UnknownName."""
    found = _read(name, locations)
    if found is None:
        raise UnknownName("environment", name, (), next_step=ush("command", "list"))
    return found


def check_changeable(environment: Environment) -> None:
    """Raise Refused for an environment that is protected, or everyone's."""
    if environment.everyones:
        raise Refused(
            f"the environment {environment.name} is everyone's on this machine",
            again_with=("--for", "everyone"),
            next_step=("or", ush("environment", "copy", environment.name, "NEW")),
        )
    if environment.protected:
        raise Refused(
            f"the environment {environment.name} is protected"
            + (f": it was made by something else, at {environment.prefix}" if environment.foreign else ""),
            next_step=(
                ush("environment", "copy", environment.name, "NEW"),
                "or",
                ush("environment", "unprotect", environment.name, *environment.scope_words),
            ),
        )


def _everyones(host: Host, locations: Locations) -> tuple[Environment, ...]:
    """Return everyone's environments as they are seen from another scope."""
    everyone = everyone_locations(host)
    if locations.data == everyone.data:
        return ()
    try:
        found = list_environments(everyone)
    except UshError:
        # What is wrong with theirs is not in the way of what is mine.
        return ()
    return tuple(replace(one, everyones=True) for one in found)


def _read(name: str, locations: Locations) -> Environment | None:
    link = link_place(locations.data, name)
    contents = read_contents(link)
    if contents is not None:
        protected = is_protected(name, locations)
        edition = edition_number(link)
        return Environment(
            name=name,
            prefix=link,
            edition=edition,
            contents=contents,
            protected=protected,
            scope=locations.scope,
        )
    if os.path.islink(link) and not os.path.exists(link):
        raise CouldNot(
            f"the environment {name} is gone: its link leads to {os.readlink(link)}, which does not exist",
            next_step=ush("environment", "drop", name, why="then make it again"),
        )
    place = adopted_places(locations).get(name)
    if place is None:
        return None
    if not os.path.exists(join(place, "pyvenv.cfg")):
        raise CouldNot(
            f"the adopted environment {name} is no longer at {place}",
            next_step=(
                ush("environment", "drop", name),
                "then, where it is now:",
                ush("environment", "adopt", "FOLDER", "--name", name),
            ),
        )
    from .foreign import read_foreign

    try:
        found = read_foreign(name, place)
    except UsageError:
        return None
    return Environment(
        name=name, prefix=place, edition=0, contents=found, protected=True, foreign=True, scope=locations.scope
    )


def check_name(name: str, locations: Locations) -> None:
    """Raise UsageError or Refused for what cannot be a new environment's name."""
    if not name or name in (".", "..") or "/" in name or name.startswith((".", "-")) or not name.isprintable():
        raise UsageError(
            f"{name!r} cannot be an environment's name: it becomes a folder's name; no '/', no leading '.' or '-'",
            next_step=ush("environment", "new", "hive"),
        )
    if ":" in name:
        raise UsageError(
            f"{name!r} cannot be an environment's name: a colon separates the entries of PATH",
            next_step=ush("environment", "new", "hive"),
        )
    if why := HERE.why_no_name(name):
        raise UsageError(
            f"{name!r} cannot be an environment's name: {why}", next_step=ush("environment", "new", "hive")
        )
    if name in environment_names(locations):
        raise Refused(
            f"there is an environment named {name} already",
            next_step=(ush("environment", "show", name), "or", ush("environment", "drop", name)),
        )
