"""Choosing the newest interpreter on which packages can be had, and saying why not a newer one."""

from collections.abc import Sequence

from packaging.requirements import Requirement

from unified_shell.core.environments.model.base_interpreter import check_base
from unified_shell.core.environments.packages.getting import target_of
from unified_shell.core.errors import InterpreterUnusable, NoSolution
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush
from unified_shell.core.resolution.driver import run_solver

__all__ = ["choose_for"]


def choose_for(
    requests: Sequence[Requirement], client: IndexClient, host: Host, locations: Locations
) -> tuple[InterpreterFacts, tuple[str, ...]]:
    """Return the newest interpreter of this machine for which there is a solution, and why newer ones are not it.

    Raises NoSolution where there is none for any, with the reason of the newest.
    """
    newest: dict[str, InterpreterFacts] = {}
    for one in discover(host, only_python=True).python:
        if one.facts is not None and not one.facts.environment_prefix:
            newest.setdefault(one.facts.full_version, one.facts)
    why: list[str] = []
    for facts in sorted(newest.values(), key=lambda each: each.version, reverse=True):
        try:
            check_base(facts)
        except InterpreterUnusable:
            continue
        try:
            run_solver(requests, target_of(facts), client, {}, locations.cache)
        except NoSolution as error:
            why.append(f"not on {facts.title}: {error.message}")
            continue
        return facts, tuple(why)
    asked = ", ".join(map(str, requests))
    raise NoSolution(
        f"no interpreter here supports {asked}; {why[0] if why else 'there is none'}",
        next_step=ush("interpreter", "get", "python", "VERSION", why="another one"),
    )
