"""The checks of an environment: that it starts, holds what is recorded, imports, and its commands launch."""

from collections.abc import Iterable, Mapping

from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.environments.libraries.library_checks import check_library
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment, unreadable_environments
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.errors import UshError
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush

from .distribution_checks import check_recorded, check_requirements
from .import_checks import IMPORT_SECONDS, check_imports
from .installed_metadata import Installed, read_installed

__all__ = ["check_distributions", "check_environment", "check_readable"]


def check_environment(
    environment: Environment, host: Host, *, thorough: bool = False, limit_seconds: float = IMPORT_SECONDS
) -> tuple[Finding, ...]:
    """Run all checks that need no session of a shell."""
    if not environment.contents.is_python:
        return check_library(environment, host)
    try:
        facts = base_of(environment, host)
    except UshError as error:
        return (
            Finding(
                subject=f"environment {environment.name}",
                question="its interpreter starts",
                verdict=Verdict.FAULT,
                answer=error.message,
                cause=Cause.BASE_GONE if environment.is_base_gone else Cause.BASE_CHANGED,
                remedy=error.next_step,
            ),
        )
    start = proof_of_start(environment.prefix, facts, host)
    if not start.passed:
        return (start,)
    return (start, *check_distributions(environment, facts, host, thorough=thorough, limit_seconds=limit_seconds))


def check_readable(locations: Locations) -> tuple[Finding, ...]:
    """Return a fault for each environment of which it cannot be read what it holds."""
    return tuple(
        Finding(
            subject=name,
            question="its contents can be read",
            verdict=Verdict.FAULT,
            answer=why,
            cause=Cause.CONTENTS_UNREADABLE,
            remedy=ush("environment", "drop", name, *locations.scope_words, why="then make it again"),
        )
        for name, why in unreadable_environments(locations).items()
    )


def check_distributions(
    environment: Environment,
    facts: InterpreterFacts,
    host: Host,
    *,
    only: Iterable[str] | None = None,
    thorough: bool = False,
    installed: Mapping[NormalizedName, Installed] | None = None,
    limit_seconds: float = IMPORT_SECONDS,
) -> tuple[Finding, ...]:
    """Check that distributions are as recorded, satisfied, importable, and their commands launch.

    `only` limits imports and commands to some projects; what they require is checked for all. With `thorough` the
    content of every recorded file is compared, not size and time alone, and each project loads with nothing but what it
    requires. `installed` is what `read_installed` says, where
    that was asked already.
    """
    installed = read_installed(environment) if installed is None else installed
    chosen = [one for one in environment.contents.distributions if only is None or one.name in set(only)]
    return (
        *check_recorded(environment, chosen, installed, thorough=thorough),
        *check_requirements(installed, facts, environment),
        *check_imports(environment, chosen, installed, facts, host, apart=thorough, limit_seconds=limit_seconds),
    )
