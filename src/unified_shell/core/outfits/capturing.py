"""This machine as an outfit: what was asked for of its environments, suites and wiring, and what could not be captured."""

import os
from collections.abc import Mapping, Sequence
from typing import Any

import tomlkit
from msgspec import Struct

from unified_shell.core.catalogs.registered import CATALOGS
from unified_shell.core.commands.preferred import links_folder, read_choices
from unified_shell.core.environments.libraries.library_variables import library_variables
from unified_shell.core.environments.model.registry import Environment, list_environments
from unified_shell.core.environments.offers import offered_commands, offered_files
from unified_shell.core.indexes.registered import INDEXES
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import in_home, join, shown
from unified_shell.core.shells.dialects.dialect import Mode, Side
from unified_shell.core.shells.startup.own_shells import chosen_shells, shells_of_their_own, wired_modes
from unified_shell.core.shells.tracing.path_report import report_path
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring
from unified_shell.core.suites.managed_suites import ManagedSuite, read_suites
from unified_shell.core.transfers.addresses import place_of_address

from .own_variables import variables_set_by_hand

__all__ = ["Captured", "capture"]

Table = dict[str, Any]


class Captured(Struct, frozen=True, kw_only=True):
    """An outfit's text, the environments that are in it, and what could not be captured, a line each."""

    text: str
    environments: tuple[str, ...]
    left_out: tuple[str, ...]


def capture(name: str, host: Host, locations: Locations) -> Captured:
    """Return this account as an outfit. Opens a new session of the person's shell, which runs its startup files."""
    left: list[str] = []
    suites = read_suites(locations)
    wiring = read_wiring(locations)
    environments = [one for one in list_environments(locations) if not one.name.startswith(".")]
    document: Table = {"outfit": {"name": name}}
    document |= _addresses(host, locations)
    python = {one.contents.python.rpartition(".")[0] for one in environments if one.contents.is_python}
    if len(python) == 1:
        document["interpreter"] = {"version": f"=={python.pop()}.*"}
    rows = {one.name: _environment(one, host, left, alone=not python) for one in environments}
    if rows:
        document["environment"] = rows
    if kept := _suites(suites, left):
        document["suite"] = kept
    if commands := {one.name: {"package": one.distribution} for one in read_choices(locations) if one.distribution}:
        document["command"] = commands
    left += [
        f"preferred command {one.name}: {one.candidate}" for one in read_choices(locations) if not one.distribution
    ]
    paths, variables = _sessions(wiring, suites, host, locations)
    if paths:
        document["search-path"] = paths
    if variables:
        document["variables"] = variables
    own = {one.name for one in (*chosen_shells(host), *shells_of_their_own(host))}
    shells = sorted({dialect.name for dialect, _ in wired_modes(host)} & own)
    if shells or wiring.completes:
        document["shells"] = {
            **({"wire": shells} if shells else {}),
            **({"completion": True} if wiring.completes else {}),
        }
    left += [f"session script {shown(one.file, host.home)}" for one in wiring.scripts]
    left += [f"interpreter {one.name}, registered in place: {one.executable}" for one in read_adopted(locations)]
    return Captured(text=tomlkit.dumps(document), environments=tuple(rows), left_out=tuple(left))


def _addresses(host: Host, locations: Locations) -> Table:
    found: Table = {}
    for kind, book in (("index", INDEXES), ("catalog", CATALOGS)):
        named = [one for one in book.read_all(host, locations) if one not in book.shipped]
        if named:
            found[kind] = {one.name: {"url": place_of_address(one.address) or one.shown} for one in named}
    return found


def _environment(environment: Environment, host: Host, left: list[str], *, alone: bool) -> Table:
    """Return what was asked for of an environment, and what is its own."""
    contents = environment.contents
    if not contents.is_python:
        return _library(environment, host, left)
    row: Table = {"packages": [text for one in contents.requested for text in one.requested]}
    if not alone:
        row["interpreter"] = f"=={contents.python.rpartition('.')[0]}.*"
    kinds = [os.path.basename(one) for one in offered_files(environment, host)]
    if "kernel.json" in kinds:
        row["notebook"] = True
    if commands := offered_commands(environment, host):
        row["applications"] = list(commands)
    paths = _paths(contents.wiring, {}, host)
    if paths:
        row["search-path"] = paths
    if contents.wiring.variables:
        row["variables"] = {one.name: _written(one.value, {}, host) for one in contents.wiring.variables}
    return row


def _library(environment: Environment, host: Host, left: list[str]) -> Table:
    """Return an environment of another language; what is in its library came by that language's own means, and is not captured."""
    contents = environment.contents
    table = find_language(contents.language)
    row: Table = {"language": contents.language, "interpreter": f"=={'.'.join(contents.python.split('.')[:2])}.*"}
    makes = {one.name for one in library_variables(table, environment.prefix)} if table is not None else set()
    own = [one for one in contents.wiring.variables if one.name not in makes]
    if paths := _paths(contents.wiring, {}, host):
        row["search-path"] = paths
    if own:
        row["variables"] = {one.name: _written(one.value, {}, host) for one in own}
    library = join(environment.prefix, table.library) if table is not None else environment.prefix
    held = sorted(os.listdir(library)) if os.path.isdir(library) else []
    if held:
        left.append(f"what is in the library of {environment.name}: {', '.join(held)}")
    return row


def _suites(suites: Sequence[ManagedSuite], left: list[str]) -> Table:
    found: Table = {}
    for one in suites:
        if one.adopted:
            left.append(f"suite {one.name}, adopted in place: {one.prefix}")
        elif not one.description.forms:
            left.append(f"suite {one.name}: no description says how it is had")
        else:
            found[one.description.name] = {"version": f"=={one.version}", "form": one.form}
    return found


def _sessions(
    wiring: Wiring, suites: Sequence[ManagedSuite], host: Host, locations: Locations
) -> tuple[Table, Table]:
    """Return the search paths and variables of new sessions: what is wired, but for what suites bring with themselves, and
    what the person's own startup files put there.
    """
    own = {one.description.name: one for one in suites if not one.adopted}
    brought = {pair for one in own.values() for pair in (*one.offered.front, *one.offered.back)}
    brought.add(("PATH", links_folder(locations)))
    rest = [one for one in wiring.entries if (one.variable, one.directory) not in brought]
    paths = _paths(Wiring(entries=tuple(rest)), own, host)
    values = {pair for one in own.values() for pair in one.offered.values}
    variables = {
        one.name: _written(one.value, own, host)
        for one in wiring.variables
        if (one.name, one.value) not in values and not one.when
    }
    shell = next(iter(chosen_shells(host)), None)
    if shell is not None:
        report = report_path(shell, Mode.INTERACTIVE, host, locations)
        wired = {one.directory for one in wiring.entries}
        by_hand = [
            one.directory
            for one in report.entries
            if one.source == "startup file" and one.exists and one.directory not in wired
        ]
        if by_hand:
            front = paths.setdefault("PATH", {}).setdefault("front", [])
            front += [_written(one, own, host) for one in by_hand if _written(one, own, host) not in front]
        for name, value in variables_set_by_hand(shell, host).items():
            variables.setdefault(name, _written(value, own, host))
    return paths, variables


def _paths(wiring: Wiring, suites: Mapping[str, ManagedSuite], host: Host) -> Table:
    found: Table = {}
    for path in wiring.search_paths():
        side = "front" if path.side is Side.FRONT else "back"
        row = found.setdefault(path.variable, {})
        row[side] = [_written(one, suites, host) for one in path.directories]
        if path.when:
            row["when"] = path.when
    return found


def _written(text: str, suites: Mapping[str, ManagedSuite], host: Host) -> str:
    """Return a place as an outfit writes it: below a suite, or below the home."""
    for name, one in suites.items():
        text = text.replace(one.prefix, f"{{suite.{name}}}")
    below = in_home(text, host.home)
    return f"{{home}}/{below}" if below is not None else text
