"""What an environment holds, as a person reads it."""

from collections.abc import Mapping, Sequence

from packaging.utils import NormalizedName

from unified_shell.core.environments.chains import Chain
from unified_shell.core.environments.known import Environment
from unified_shell.core.machine.clock import shown_time
from unified_shell.core.machine.places import join, shown
from unified_shell.core.verification.environment_checks import Installed

from .screen import Screen
from .tables import heading, print_rows, print_table

__all__ = ["print_chains", "print_environment", "print_licences", "print_packages"]


def print_environment(
    screen: Screen,
    environment: Environment,
    installed: Mapping[NormalizedName, Installed],
    home: str,
    drift: Sequence[str] = (),
) -> None:
    """Write where an environment is, how it is entered, its packages, and a line for each command; `drift` is how it
    differs from its lock.
    """
    contents = environment.contents
    heading(screen, f"Environment {environment.name}")
    print_rows(
        screen,
        [
            ("where", shown(environment.prefix, home)),
            *([("in place of", shown(contents.replaced, home))] if contents.replaced else []),
            ("interpreter", f"{environment.title}, {shown(contents.interpreter, home)}"),
            ("made", f"{shown_time(contents.made_seconds)}, {_by_whom(environment)}"),
            *_locked(environment, home, drift),
            *_ways_in(environment, home),
        ],
    )
    if contents.language == "python":
        heading(screen, "\nPackages")
        print_packages(screen, environment, installed)
    commands = sorted(name for one in installed.values() for name in one.command_names)
    if commands:
        heading(screen, "\nCommands")
        for command in commands:
            screen.result(f"  ush environment run {environment.name} -- {command}")


def _by_whom(environment: Environment) -> str:
    if environment.foreign:
        return "by something else; protected until ush environment unprotect, or ush environment copy"
    own = "; its files are its own" if environment.contents.own_files else ""
    return f"edition {environment.edition}{own}{'; protected' if environment.protected else ''}"


def _locked(environment: Environment, home: str, drift: Sequence[str]) -> list[tuple[str, str]]:
    if not environment.contents.lock:
        return []
    place = shown(environment.contents.lock, home)
    return [("lock", f"{place}: {'as locked' if not drift else 'it differs'}"), *(("", one) for one in drift)]


def _ways_in(environment: Environment, home: str) -> list[tuple[str, str]]:
    if environment.foreign:
        return [("run", f"ush environment run {environment.name} -- python")]
    script = shown(join(environment.prefix, "enter.sh"), home)
    return [("enter", f"ush environment enter {environment.name}"), ("in a script", f". {script}")]


def print_packages(screen: Screen, environment: Environment, installed: Mapping[NormalizedName, Installed]) -> None:
    """Write the packages of an environment as a table."""
    rows = []
    for one in environment.contents.distributions:
        there = installed.get(one.name)
        rows.append(
            (
                one.name,
                one.version,
                ", ".join(there.imports[:4]) if there else "is not there any more",
                ", ".join(there.command_names) if there else "",
                f"you asked for {one.requested}" if one.requested else "came along",
                one.index,
            )
        )
    if rows:
        print_table(screen, ("project", "version", "import", "commands", "why", "index"), rows, indent=2)
    else:
        screen.result(f"  none yet\nNext: ush package get NAME -e {environment.name}")


def print_licences(screen: Screen, installed: Mapping[NormalizedName, Installed]) -> None:
    """Write what each package says its licence is."""
    rows = [
        (name, one.metadata.version, one.metadata.licence or "not told") for name, one in sorted(installed.items())
    ]
    if rows:
        print_table(screen, ("project", "version", "licence"), rows)
    else:
        screen.result("No package is in it yet.")


def print_chains(screen: Screen, name: str, chains: Sequence[Chain]) -> None:
    """Write each chain, a requirement a line, further in the further down."""
    if not chains:
        screen.result(f"Nothing that was asked for needs {name}.\nNext: ush package drop {name}")
        return
    for chain in chains:
        screen.result(f"you ask for {chain.asked}")
        for depth, step in enumerate(chain.steps, 1):
            screen.result(f"{'  ' * depth}{step}")
