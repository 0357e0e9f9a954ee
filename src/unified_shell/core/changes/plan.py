"""What will be done, as data, and what the executor needs to do it."""

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import Enum

from unified_shell.core.findings import Finding
from unified_shell.core.machine.places import Place

from .steps import Step

__all__ = ["Change", "LineKind", "Outcome", "Plan", "PlanLine"]


class LineKind(Enum):
    """What a line of a plan is about."""

    ADD = "add"
    CHANGE = "change"
    REMOVE = "remove"
    KEEP = "keep"
    DOWNLOAD = "download"
    EDIT = "edit"
    NOTE = "note"
    WARNING = "warning"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanLine:
    """One thing that will happen or is to be known. For an edit, `detail` is a diff.

    `in_full` is what the detail sums up, line by line: shown where the plan alone is asked for.
    """

    kind: LineKind
    subject: str
    detail: str = ""
    in_full: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """What a change will do.

    `aim` is a sentence. `relies_on` names objects that others made and this
    needs; undoing those would break it. `afterwards` is what a person reads when it is done.
    `undoes` is the change that is taken back, `undoes_too` are later ones that build on it.
    A plan without lines that change anything has `nothing_to_do`, which says why.
    """

    aim: str
    lines: tuple[PlanLine, ...] = ()
    relies_on: tuple[str, ...] = ()
    download_bytes: int = 0
    disk_bytes: int = 0
    nothing_to_do: str = ""
    afterwards: tuple[str, ...] = ()
    undoes: int = 0
    undoes_too: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """A plan with the functions that carry it: `prepare` gets a staging folder and returns the steps;
    `verify` looks at the result and returns findings.
    """

    plan: Plan
    prepare: Callable[[Place], tuple[Step, ...]]
    verify: Callable[[], tuple[Finding, ...]] = field(default=lambda: ())


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What came of a change. `number` is its entry in the journal."""

    number: int
    findings: tuple[Finding, ...] = ()

    @property
    def faults(self) -> tuple[Finding, ...]:
        """The findings that do not hold."""
        return tuple(finding for finding in self.findings if not finding.holds)
