"""The machine that a pack is for, as its own `ush look --json` tells of it: what it has need not be packed."""

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec
from msgspec import Struct, field

from unified_shell.core.errors import CouldNot, Refused, UsageError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush

from .locks.settling import LockedPackage

__all__ = ["OtherMachine", "read_other_machine"]


class OtherMachine(Struct, kw_only=True):
    """What it has: versions of `python3` on its PATH, suites by name with versions, environments with the hash of each
    distribution by project. `found` collects what was asked for and is there.
    """

    pythons: tuple[str, ...] = ()
    suites: tuple[tuple[str, str], ...] = ()
    environments: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    found: list[str] = field(default_factory=list)

    def has_python(self, facts: InterpreterFacts, bound: str) -> bool:
        """Tell whether its `python3` can run what is packed, which is for the version of an interpreter here, and is meant."""
        fitting = [one for one in self.pythons if version_fits(one, facts.short_version) and version_fits(one, bound)]
        fits = fitting[0] if fitting else ""
        return self._noted(f"Python {fits}", is_there=bool(fits))

    def has_suite(self, name: str, bound: str) -> bool:
        """Tell whether it has a suite in a version that is meant."""
        fits = next((version for own, version in self.suites if own == name and version_fits(version, bound)), "")
        return self._noted(f"suite {name}-{fits}", is_there=bool(fits))

    def has_environment(self, name: str, packages: Iterable[LockedPackage]) -> bool:
        """Tell whether it has an environment with exactly what is locked, so that no wheel is needed for it."""
        here = self.environments.get(name)
        if here is None:
            return False
        hashes = {package.name: {file.sha256 for file in package.files} for package in packages}
        same = all(here.get(project) in each for project, each in hashes.items())
        return self._noted(f"environment {name}", is_there=same)

    def _noted(self, title: str, *, is_there: bool) -> bool:
        if is_there:
            self.found.append(title)
        return is_there


def read_other_machine(text: str, host: Host) -> OtherMachine:
    """Return what a report says; raises UsageError for what is no such report, Refused for one of another kind of machine."""
    place = join(host.working_directory, text)
    content = read_file(place)
    if content is None:
        raise UsageError(f"there is no report {text!r}", next_step=ush("look", "--json", why="on that machine"))
    try:
        report: Any = msgspec.json.decode(content[0])
    except msgspec.DecodeError as error:
        raise CouldNot(
            f"{text} cannot be read: {error}", next_step=ush("look", "--json", why="on that machine")
        ) from error
    if not isinstance(report, Mapping) or report.get("kind") != "look":
        raise UsageError(
            f"{text} is not what ush look --json prints", next_step=ush("look", "--json", why="on that machine")
        )
    kind, own = (report.get("architecture"), report.get("libc")), (host.architecture, str(host.libc))
    if kind[0] != own[0] or str(kind[1]).split(" ")[0] != own[1].split(" ")[0]:
        raise Refused(
            f"{text} is of a machine with {kind[0]}, {kind[1]}; what is packed here is for {own[0]}, {own[1]}",
            next_step="pack it on a machine of that kind",
        )
    return OtherMachine(
        pythons=tuple(_pythons(report.get("interpreters", ()))),
        suites=tuple(_suite(str(one)) for one in report.get("suites", ())),
        environments={
            str(one["name"]): {row["name"]: row["sha256"] for row in one["contents"]["distributions"]}
            for one in report.get("environments", ())
        },
    )


def _pythons(rows: Iterable[Mapping[str, Any]]) -> Iterable[str]:
    """Yield the versions of the interpreters that a session there starts as `python3`."""
    for one in rows:
        facts = one.get("facts")
        is_python3 = any(str(name).endswith("/python3") for name in one.get("names", ()))
        if one.get("on_path") and is_python3 and facts and not facts.get("environment_prefix"):
            yield str(facts["full_version"])
            return


def _suite(title: str) -> tuple[str, str]:
    name, _, version = title.rpartition("-")
    return name, version
