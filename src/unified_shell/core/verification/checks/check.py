"""What a check is, and what all of them work with."""

from collections.abc import Callable, Iterable
from enum import Enum
from functools import cached_property

from msgspec import Struct

from unified_shell.core.findings import Cause, Finding, Mend, Verdict
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, everyone_locations
from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import NextStep
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring
from unified_shell.core.verification.packages.import_checks import IMPORT_SECONDS
from unified_shell.core.verification.targets.target import Kind, Target

from .new_sessions import NewSessions

__all__ = ["Check", "Cost", "Surroundings", "fault", "not_tried", "passed"]


class Cost(Enum):
    """What a check does, beside reading files."""

    FILES = "reads files"
    PROGRAMS = "starts programs"
    SESSIONS = "opens new sessions"
    LAUNCH = "starts the program itself"


class Surroundings(Struct, dict=True, frozen=True, kw_only=True):
    """What checks work with: this machine, the person's new sessions (opened once for all of them), and how deep to look."""

    host: Host
    locations: Locations
    sessions: NewSessions
    thorough: bool = False
    launch: bool = False
    limit_seconds: float = IMPORT_SECONDS

    @cached_property
    def wiring(self) -> Wiring:
        """What is wanted of new sessions for me."""
        return read_wiring(self.locations)

    @cached_property
    def shared_wiring(self) -> Wiring:
        """What is wanted of new sessions for everyone; empty where that is the scope itself."""
        everyone = everyone_locations(self.host)
        return Wiring() if everyone.data == self.locations.data else read_wiring(everyone)

    def shown(self, place: str) -> str:
        """Return a place as a person reads it."""
        return shown(place, self.host.home)


Judge = Callable[[Target, Surroundings], Iterable[Finding]]


class Check(Struct, frozen=True, kw_only=True):
    """One check of one kind of target: its name, what it asks in words, what it costs, and the function that judges."""

    name: str
    kind: Kind
    asks: str
    cost: Cost
    judge: Judge


def passed(subject: str, question: str, answer: str = "yes", *, seconds: float = 0.0) -> Finding:
    """Return the finding that something was tried and is right."""
    return Finding(subject=subject, question=question, verdict=Verdict.PASSED, answer=answer, elapsed_seconds=seconds)


def fault(
    subject: str, question: str, answer: str, cause: Cause, remedy: NextStep = "", *, mend: Mend | None = None
) -> Finding:
    """Return the finding that something is wrong, with its cause and what mends it."""
    return Finding(
        subject=subject,
        question=question,
        verdict=Verdict.FAULT,
        answer=answer,
        cause=cause,
        remedy=remedy,
        mend=mend,
    )


def not_tried(subject: str, question: str, why: str, remedy: NextStep = "") -> Finding:
    """Return the finding that something was not tried."""
    return Finding(subject=subject, question=question, verdict=Verdict.NOT_TRIED, answer=why, remedy=remedy)
