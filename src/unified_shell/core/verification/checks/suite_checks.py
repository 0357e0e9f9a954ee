"""Suites that are managed: their programs, and the checks of their descriptions."""

from collections.abc import Iterator

from unified_shell.core.errors import UshError
from unified_shell.core.findings import Cause, Finding
from unified_shell.core.next_steps import ush
from unified_shell.core.suites.managed_suites import find_suite
from unified_shell.core.suites.suite_checks import check_suite
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault
from .file_checks import version_outside

__all__ = ["SUITE_CHECKS"]


def works(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a suite's programs by their files, then by the checks that its description asks for."""
    try:
        suite = find_suite(target.name, around.host, around.locations)
    except UshError as error:
        listed = ush("suite", "list")
        yield fault(f"suite {target.name}", "is there", error.message, Cause.DIRECTORY_ABSENT, listed)
        return
    yield from check_suite(suite, around.host)
    if target.bound:
        get = ush("suite", "get", f"{suite.description.name}{target.bound}")
        yield version_outside(f"suite {suite.name}", suite.version, target.bound, get)


SUITE_CHECKS = (
    Check(
        name="suite-works",
        kind=Kind.SUITE,
        asks="a suite's programs can be started with their own libraries, and the checks of its description pass",
        cost=Cost.PROGRAMS,
        judge=works,
    ),
)
