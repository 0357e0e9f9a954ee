"""What will be done, as data, and what the executor needs to do it."""

from collections.abc import Callable
from enum import Enum

from msgspec import Struct, field

from unified_shell.core.findings import Finding
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import Afterward

from .steps import Step

__all__ = ["Change", "LineKind", "Outcome", "Plan", "PlanLine"]


class LineKind(Enum):
    """What a line of a plan is about; `ANSWER` and `STAYS` are of a name that starts another file, or the same still."""

    ADD = "add"
    CHANGE = "change"
    ANSWER = "answer"
    STAYS = "stays"
    REMOVE = "remove"
    KEEP = "keep"
    DOWNLOAD = "download"
    EDIT = "edit"
    NOTE = "note"
    WARNING = "warning"


class PlanLine(Struct, frozen=True, kw_only=True):
    """One thing that will happen or is to be known. For an edit, `detail` is a diff.

    `in_full` is what the detail sums up, line by line: shown where the plan alone is asked for.
    """

    kind: LineKind
    subject: str
    detail: str = ""
    in_full: tuple[str, ...] = ()


class Plan(Struct, frozen=True, kw_only=True):
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
    afterwards: tuple[Afterward, ...] = ()
    undoes: int = 0
    undoes_too: tuple[int, ...] = ()


class Change(Struct, frozen=True, kw_only=True):
    """A plan with the functions that carry it: `prepare` gets a staging folder and returns the steps;
    `verify` looks at the result and returns findings.
    """

    plan: Plan
    prepare: Callable[[Place], tuple[Step, ...]]
    verify: Callable[[], tuple[Finding, ...]] = field(default=lambda: ())


class Outcome(Struct, frozen=True, kw_only=True):
    """What came of a change. `number` is its entry in the journal."""

    number: int
    findings: tuple[Finding, ...] = ()

    @property
    def faults(self) -> tuple[Finding, ...]:
        """The findings that did not pass."""
        return tuple(finding for finding in self.findings if not finding.passed)
