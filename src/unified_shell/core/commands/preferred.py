"""Names that a person decided on: one folder of links on the path, and for each choice what it put there."""

import os
from collections.abc import Mapping

from msgspec import Struct

from unified_shell.core.changes.records import read_records
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.machine.places import Place, from_record_text, join, to_record_text

__all__ = [
    "TABLE",
    "Choice",
    "all_choices",
    "choice_value",
    "choices_file",
    "launcher_place",
    "links_folder",
    "read_choices",
    "target_of",
]

TABLE = "command"


class Choice(Struct, frozen=True, kw_only=True):
    """One choice: the name that was asked for, the file that answers, and all names that came with it.

    `distribution` is set where it was got from a distribution, into the environment `environment`. With
    `launcher`, a link would not do, since the program goes by the place that it is started from: the name leads
    to a script that starts it.
    """

    name: str
    candidate: Place
    names: tuple[str, ...]
    distribution: str = ""
    environment: str = ""
    launcher: bool = False
    scope: Scope = Scope.ME


def links_folder(locations: Locations) -> Place:
    """Return the folder of links."""
    return join(locations.data, "commands")


def choices_file(locations: Locations) -> Place:
    """Return where the choices are kept."""
    return join(locations.data, "wiring", "commands.toml")


def read_choices(locations: Locations) -> tuple[Choice, ...]:
    """Return a scope's own choices, by name."""
    table = read_records(choices_file(locations)).get(TABLE, {})
    rows = table.items() if isinstance(table, Mapping) else ()
    return tuple(
        Choice(
            name=name,
            candidate=from_record_text(str(value.get("candidate", ""))),
            names=tuple(map(str, value.get("names", ()))),
            distribution=str(value.get("distribution", "")),
            environment=str(value.get("environment", "")),
            launcher=value.get("launcher") is True,
            scope=locations.scope,
        )
        for name, value in sorted(rows)
    )


def all_choices(host: Host, locations: Locations) -> tuple[Choice, ...]:
    """Return a scope's own choices, and everyone's after them."""
    shared = () if locations.scope is Scope.EVERYONE else read_choices(everyone_locations(host))
    return (*read_choices(locations), *shared)


def choice_value(choice: Choice) -> dict[str, object]:
    """Return what is kept of a choice."""
    value: dict[str, object] = {"candidate": to_record_text(choice.candidate), "names": list(choice.names)}
    if choice.distribution:
        value |= {"distribution": choice.distribution, "environment": choice.environment}
    return value | ({"launcher": True} if choice.launcher else {})


def launcher_place(name: str, locations: Locations) -> Place:
    """Return where the script of a name is, for a choice that needs one."""
    return join(locations.data, "launchers", name)


def target_of(choice: Choice, name: str, locations: Locations) -> str:
    """Return the file that a name of a choice leads to."""
    if choice.launcher:
        return launcher_place(name, locations)
    return choice.candidate if name == choice.name else join(os.path.dirname(choice.candidate), name)
