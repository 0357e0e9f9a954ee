"""What an environment holds, as a person reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.machine.clock import shown_time
from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.places import join, shown, typed
from unified_shell.core.next_steps import ush

from .next_step_text import next_step_text
from .terminal.tables import heading, print_rows, print_table

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from unified_shell.core.distributions.names import NormalizedName
    from unified_shell.core.environments.model.contents import Distribution
    from unified_shell.core.environments.model.registry import Environment
    from unified_shell.core.environments.packages.dependency_paths import Why
    from unified_shell.core.verification.packages.environment_reports import EnvironmentReport
    from unified_shell.core.verification.packages.installed_metadata import Installed

    from .terminal.screen import Screen

__all__ = [
    "environment_rows",
    "print_environment",
    "print_environments",
    "print_licences",
    "print_packages",
    "print_why",
]


EVERYONES = ", everyone's"


def print_environments(
    screen: Screen, environments: Sequence[Environment], home: str, lost: Mapping[str, str]
) -> None:
    """Write environments as a table; those that are `lost`, with why, below them."""
    rows = [
        (
            one.name,
            one.title + (", which is gone" if one.is_base_gone else ""),
            str(len(one.contents.distributions)),
            ", ".join(text for each in one.contents.requested for text in each.requested) or "nothing yet",
            shown(one.prefix, home) + (EVERYONES if one.everyones else ""),
        )
        for one in environments
    ]
    rows += [(name, "absent", "", "", why) for name, why in lost.items()]
    print_table(screen, ("name", "interpreter", "distributions", "requested", "where"), rows)
    for name in lost:
        screen.next(ush("environment", "drop", name, why="then make or adopt it again"))


def environment_rows(report: EnvironmentReport) -> dict[str, object]:
    """Return what is told of an environment in JSON."""
    return {
        "environment": report.environment,
        "commands": report.commands,
        "applications": report.applications,
        "offered": report.offered,
        "imports": {one.metadata.name: one.imports for one in report.installed},
        "size_bytes": report.size.total_bytes,
        "own_bytes": report.size.own_bytes,
        "drift": (*report.drift, *report.lock_drift),
    }


def print_environment(screen: Screen, report: EnvironmentReport, home: str) -> None:
    """Write where an environment is, how large, how it is entered, its packages, and a line for each command."""
    environment = report.environment
    contents = environment.contents
    heading(screen, f"Environment {environment.name}")
    total, own = shown_size(report.size.total_bytes), shown_size(report.size.own_bytes)
    print_rows(
        screen,
        [
            ("where", shown(environment.prefix, home)),
            *([("in place of", shown(contents.replaced, home))] if contents.replaced else []),
            ("size", f"{total}, of which {own} are its own" if own != total else total),
            ("interpreter", f"{environment.title}, {shown(contents.interpreter, home)}"),
            ("made", f"{shown_time(contents.made_seconds)}, {_by_whom(environment)}"),
            *_locked(report, home),
            *(("drift", one) for one in report.drift),
            *(("offered", shown(one, home)) for one in report.offered),
            *_ways_in(environment, home),
            *(
                (one.variable, f"{shown(one.directory, home)}   while it is entered")
                for one in contents.wiring.entries
            ),
            *((one.name, f"{shown(one.value, home)}   while it is entered") for one in contents.wiring.variables),
        ],
    )
    if contents.is_python:
        heading(screen, "\nPackages")
        print_packages(screen, environment, {one.metadata.name: one for one in report.installed})
    for title, names in (("Commands", report.commands), ("Applications", report.applications)):
        if names:
            heading(screen, f"\n{title}")
        for name in names:
            screen.result(f"  {next_step_text(ush('environment', 'run', environment.name, '--', name))}")


def _by_whom(environment: Environment) -> str:
    if environment.foreign:
        return "not made by ush, and protected"
    own = "; its files are its own" if environment.contents.own_files else ""
    whose = "; everyone's" if environment.everyones else ""
    return f"edition {environment.edition}{own}{whose}{'; protected' if environment.protected else ''}"


def _locked(report: EnvironmentReport, home: str) -> list[tuple[str, str]]:
    lock, drift = report.environment.contents.lock, report.lock_drift
    if not lock:
        return []
    return [("lock", f"{shown(lock, home)}: {'it differs' if drift else 'as locked'}"), *(("", one) for one in drift)]


def _ways_in(environment: Environment, home: str) -> list[tuple[str, str]]:
    if environment.foreign:
        return [("run", next_step_text(ush("environment", "run", environment.name, "--", "python")))]
    script = typed(join(environment.prefix, "enter.sh"), home)
    return [("enter", next_step_text(ush("environment", "enter", environment.name))), ("in a script", f". {script}")]


def print_packages(screen: Screen, environment: Environment, installed: Mapping[NormalizedName, Installed]) -> None:
    """Write the packages of an environment as a table."""
    rows = []
    for one in environment.contents.distributions:
        there = installed.get(one.name)
        rows.append(
            (
                one.name,
                one.version,
                ", ".join(there.imports[:4]) if there else "is gone",
                ", ".join(there.command_names) if there else "",
                _reason(one),
                one.index,
            )
        )
    if rows:
        print_table(screen, ("project", "version", "import", "commands", "why", "index"), rows, indent=2)
    else:
        screen.result("  none yet")
        screen.next(ush("package", "get", "REQUIREMENT", *environment.changing))


def print_licences(
    screen: Screen, environment: Environment, installed: Mapping[NormalizedName, Installed], home: str
) -> None:
    """Write what each package says its licence is, and the files that hold its text."""
    if not installed:
        screen.result("It has no packages yet.")
        return
    rows = [
        (name, one.metadata.version, one.metadata.licence or "not told", _first_of(one.licence_files))
        for name, one in sorted(installed.items())
    ]
    print_table(screen, ("project", "version", "licence", "its text"), rows)
    if any(one.licence_files for one in installed.values()):
        screen.result(f"\nTexts are below {shown(environment.layout.site_packages, home)}")


def _reason(one: Distribution) -> str:
    """Say why a package is there: as it was asked for, or for others."""
    asked = [text for text in one.requested if text != one.name]
    return f"requested: {', '.join(asked)}" if asked else "requested" if one.requested else "dependency"


def _first_of(names: Sequence[str]) -> str:
    more = f" and {len(names) - 1} more" if len(names) > 1 else ""
    return f"{names[0]}{more}" if names else "not provided"


def print_why(screen: Screen, name: str, environment: Environment, reasons: Why, *, every: bool) -> None:
    """Write what requires a package, and each way down to it, a requirement a line, further in the further down."""
    if not reasons.chains:
        screen.result(f"Nothing that was requested needs {name}.")
        screen.next(ush("package", "drop", name, *environment.changing))
        return
    for chain in reasons.chains:
        screen.result(f"requested: {chain.asked}")
        for depth, step in enumerate(chain.steps, 1):
            screen.result(f"{'  ' * depth}{step}")
    if reasons.is_cut:
        screen.result(f"… and more ways than these {len(reasons.chains)}")
    if every:
        return
    others = [one for one in reasons.required_by if one not in reasons.chains[0].steps]
    if others:
        screen.result("Also required directly:")
        for step in others:
            screen.result(f"  {step}")
        screen.next(ush("package", "why", name, *environment.naming, "--all"), label="All paths")
