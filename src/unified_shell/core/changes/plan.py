"""What will be done, as data, and what the executor needs to do it."""

from collections.abc import Callable
from enum import Enum

from msgspec import Struct, field

from unified_shell.core.findings import Finding
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import Afterward

from .plan_subjects import About
from .steps import Step

__all__ = [
    "About",
    "Change",
    "LineKind",
    "Outcome",
    "Plan",
    "PlanLine",
    "Prepared",
    "Value",
    "Verify",
    "change_of",
    "plan_line",
]

# What a field of a line may be: a text (also a path or name), a number, a truth, or several texts.
Value = str | int | float | bool | tuple[str, ...]


class LineKind(Enum):
    """What becomes of what a line is about; `ANSWER` and `STAYS` are of a name that starts another file, or the same."""

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
    """One thing that will happen or is to be known: no sentence, but what it is about, and the facts by name.

    `in_full` is what a field sums up, item by item, and `lines` are those that this one stands for; both are shown where the
    plan alone is asked for.
    """

    kind: LineKind
    about: About
    fields: dict[str, Value] = {}
    in_full: tuple[str, ...] = ()
    lines: "tuple[PlanLine, ...]" = ()


def plan_line(kind: LineKind, about: About, *, in_full: tuple[str, ...] = (), **fields: Value) -> PlanLine:
    """Return a line; fields that are empty or false say nothing and are left out."""
    told = {name: value for name, value in fields.items() if value or (value == 0 and value is not False)}
    return PlanLine(kind=kind, about=about, fields=told, in_full=in_full)


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


Verify = Callable[[], tuple[Finding, ...]]


class Prepared(Struct, frozen=True, kw_only=True):
    """What is ready in staging: the steps that switch to it, and what looks at the result and returns findings."""

    steps: tuple[Step, ...]
    verify: Verify = field(default=lambda: ())


class Change(Struct, frozen=True, kw_only=True):
    """A plan with the function that carries it: `prepare` gets a staging folder, in which it may leave what it needs."""

    plan: Plan
    prepare: Callable[[Place], Prepared]

    def verified_by(self, verify: Verify) -> "Change":
        """Return the same change with another look at its result."""

        def prepare(staging: Place) -> Prepared:
            return Prepared(steps=self.prepare(staging).steps, verify=verify)

        return Change(plan=self.plan, prepare=prepare)


def change_of(
    plan: Plan, *, prepare: Callable[[Place], tuple[Step, ...]] = lambda _staging: (), verify: Verify = lambda: ()
) -> Change:
    """Return a change whose look at the result needs nothing of what was prepared."""
    return Change(plan=plan, prepare=lambda staging: Prepared(steps=prepare(staging), verify=verify))


class Outcome(Struct, frozen=True, kw_only=True):
    """What came of a change. `number` is its entry in the journal."""

    number: int
    findings: tuple[Finding, ...] = ()

    @property
    def faults(self) -> tuple[Finding, ...]:
        """The findings that are at fault."""
        return tuple(finding for finding in self.findings if finding.is_fault)
