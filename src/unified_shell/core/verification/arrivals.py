"""What came with a change of packages: checked at its end, and told."""

from collections.abc import Sequence
from dataclasses import replace

from packaging.utils import canonicalize_name

from unified_shell.core.changes.plan import Change
from unified_shell.core.environments.changing import proof_of_start
from unified_shell.core.environments.known import Environment, find_environment
from unified_shell.core.findings import Finding
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations

from .environment_checks import check_distributions, read_installed

__all__ = ["arrivals", "with_checks"]


def with_checks(
    change: Change, before: Environment, facts: InterpreterFacts, host: Host, locations: Locations
) -> Change:
    """Return the change with its verification: the interpreter starts, and what is new imports and launches."""

    def verify() -> tuple[Finding, ...]:
        start = proof_of_start(before.prefix, facts, host)
        if not start.holds:
            return (start,)
        after = find_environment(before.name, host, locations)
        new = {one.name for one in set(after.contents.distributions) - set(before.contents.distributions)}
        return (start, *check_distributions(after, facts, host, only=new))

    return replace(change, verify=verify)


def arrivals(before: Environment, after: Environment) -> Sequence[str]:
    """Return lines that tell which commands appeared, and which projects are imported by another name."""
    new = {one.name for one in after.contents.distributions} - {one.name for one in before.contents.distributions}
    installed = read_installed(after)
    commands = [entry.name for name in sorted(new) if name in installed for entry in installed[name].commands]
    lines = [f"New commands:  {', '.join(commands)}"] if commands else []
    lines += [f"Start one:     ush environment run {after.name} -- {commands[0]} --help"] if commands else []
    for name in sorted(new):
        imports = installed[name].imports if name in installed else ()
        if imports and canonicalize_name(imports[0]) != name:
            lines.append(f"Import {name} as:  import {imports[0]}")
    return lines
