"""The environments of this account: found by their links, named by their names or by a path."""

import os
from dataclasses import dataclass

from unified_shell.core.errors import Refused, UnknownName, WordsOff
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join

from .contents import Contents, read_contents
from .layout import Layout, edition_number, link_place

__all__ = [
    "Environment",
    "choose_environment",
    "environment_names",
    "find_environment",
    "hidden_environment",
    "list_environments",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class Environment:
    """An environment: `prefix` is its link, by which everything in it is known."""

    name: str
    prefix: Place
    edition: int
    contents: Contents

    @property
    def short_version(self) -> str:
        """`3.11`."""
        return ".".join(self.contents.python.split(".")[:2])

    @property
    def layout(self) -> Layout:
        """Where things are in it."""
        return Layout(prefix=self.prefix, short_version=self.short_version)


def environment_names(locations: Locations) -> tuple[str, ...]:
    """Return the names, sorted."""
    try:
        names = os.listdir(join(locations.data, "environments"))
    except OSError:
        return ()
    return tuple(sorted(name for name in names if not name.startswith(".")))


def list_environments(locations: Locations) -> tuple[Environment, ...]:
    """Return the environments that are whole."""
    found = (_read(name, locations) for name in environment_names(locations))
    return tuple(one for one in found if one is not None)


def find_environment(name: str, host: Host, locations: Locations) -> Environment:
    """Return an environment by its name, or by a path where there is a slash in it; raises UnknownName."""
    if "/" in name:
        full = os.path.normpath(name if name.startswith("/") else join(host.working_directory, name))
        for known in environment_names(locations):
            link = link_place(locations.data, known)
            if full == link or os.path.realpath(full) == os.path.realpath(link):
                return find_environment(known, host, locations)
        if os.path.exists(join(full, "pyvenv.cfg")):
            raise Refused(
                f"{full} is an environment that ush did not make, and counts as protected",
                next_step="ush environment new NAME",
            )
        raise WordsOff(f"{name!r} is no environment", next_step="ush environment list")
    found = _read(name, locations) if name and not name.startswith(".") else None
    if found is None:
        raise UnknownName("environment", name, environment_names(locations), next_step="ush environment list")
    return found


def hidden_environment(name: str, locations: Locations) -> Environment:
    """Return the environment of a command's own, whose name begins with a dot; raises UnknownName."""
    found = _read(name, locations)
    if found is None:
        raise UnknownName("environment", name, (), next_step="ush command list")
    return found


def choose_environment(name: str, host: Host, locations: Locations) -> Environment:
    """Return the named environment, else the one that this session has entered; raises WordsOff."""
    if name:
        return find_environment(name, host, locations)
    entered = host.variable("USH_ENVIRONMENT")
    if entered:
        return find_environment(entered, host, locations)
    names = environment_names(locations)
    have = f"there are: {', '.join(names)}" if names else "there is none yet: ush environment new NAME"
    raise WordsOff("which environment? None is entered", next_step=f"-e ENVIRONMENT   ({have})")


def _read(name: str, locations: Locations) -> Environment | None:
    link = link_place(locations.data, name)
    contents = read_contents(link)
    if contents is None:
        return None
    return Environment(name=name, prefix=link, edition=edition_number(link), contents=contents)
