"""Verifying targets: every check of the table that is of their kind, with all that came of it."""

from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.errors import UshError, os_error_text
from unified_shell.core.findings import Finding, Verdict
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import NextStep

from .checks.check import Check, Surroundings
from .checks.new_sessions import NewSessions
from .checks.table import CHECKS
from .packages.import_checks import IMPORT_SECONDS
from .targets.target import Kind, Target

__all__ = ["Verified", "opens_sessions", "surroundings", "verify"]


class Verified(Struct, frozen=True, kw_only=True):
    """A target and what its checks found."""

    target: Target
    findings: tuple[Finding, ...]

    @property
    def faults(self) -> tuple[Finding, ...]:
        """What is wrong."""
        return tuple(one for one in self.findings if one.is_fault)

    def count(self, verdict: Verdict) -> int:
        """Return how many checks ended so."""
        return sum(1 for one in self.findings if one.verdict is verdict)


def surroundings(
    targets: Sequence[Target],
    host: Host,
    locations: Locations,
    *,
    thorough: bool = False,
    launch: bool = False,
    limit_seconds: float = IMPORT_SECONDS,
) -> Surroundings:
    """Return what the checks of these targets work with."""
    names = tuple(dict.fromkeys(one.name for one in targets if one.kind is Kind.COMMAND))
    return Surroundings(
        host=host,
        locations=locations,
        sessions=NewSessions(host, names),
        thorough=thorough,
        launch=launch,
        limit_seconds=limit_seconds,
    )


def opens_sessions(targets: Sequence[Target]) -> bool:
    """Tell whether verifying these opens new sessions, which run the person's startup files."""
    kinds = {Kind.SESSIONS, Kind.DIRECTORY, Kind.VARIABLE, Kind.SCRIPT, Kind.STARTUP_FILE, Kind.COMMAND}
    return any(one.kind in {*kinds, Kind.ENVIRONMENT, Kind.MODULE} for one in targets)


def verify(
    targets: Sequence[Target], around: Surroundings, *, progress: Callable[[str], None] = lambda _phase: None
) -> tuple[Verified, ...]:
    """Run the checks of each target, one target after another; within one, what can be is done at once."""
    if opens_sessions(targets):
        progress("open new sessions")
        _ = around.sessions.opened  # before any thread is started
    found = []
    for number, target in enumerate(targets, 1):
        progress(f"verify {target.title(around.host.home)}, {number} of {len(targets)}")
        checks = [one for one in CHECKS if one.kind is target.kind]
        findings = tuple(finding for check in checks for finding in _judged(check, target, around))
        found.append(Verified(target=target, findings=findings))
    return tuple(found)


def _judged(check: Check, target: Target, around: Surroundings) -> Iterator[Finding]:
    """Yield what a check finds; what keeps it from being made is a fault of its own, never a silence."""
    try:
        for finding in check.judge(target, around):
            yield replace(finding, check=check.name)
    except UshError as error:
        yield _not_made(check, target, error.message, error.next_step)
    except OSError as error:
        yield _not_made(check, target, os_error_text(error))


def _not_made(check: Check, target: Target, why: str, remedy: NextStep = "") -> Finding:
    return Finding(
        subject=target.title(),
        question=check.asks,
        verdict=Verdict.FAULT,
        answer=why,
        remedy=remedy,
        check=check.name,
    )
