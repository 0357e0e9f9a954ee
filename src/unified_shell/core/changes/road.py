"""The road that every change takes: prepare, switch, verify, keep.

The entry is durable before its staging folder is made; all its steps are durable before the first is done.
So whatever was left by a killed process can be told from the journal: what was only prepared is swept, what
had begun to switch is carried on. An audit event `unified_shell.step` is raised before and after each step.
"""

import contextlib
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from unified_shell.core.errors import CouldNot, PutBack, UshError, told
from unified_shell.core.findings import Finding
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.durable import remove_tree
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.modes import public_files
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes import process_began

from .journal import Entry, EntryState, Journal
from .locks import scope_lock
from .plan import Change, Outcome, Plan
from .retention import trim
from .steps import Step, StepState, kind_of

__all__ = ["PlanMoved", "Road", "retired_place"]


class PlanMoved(Exception):
    """Something that the plan was made from has changed meanwhile."""


def _no_word(text: str) -> None:
    """Say nothing."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Road:
    """The road of one scope. `on_wait` is told for whom a change waits."""

    locations: Locations
    journal: Journal
    on_wait: Callable[[str], None] = _no_word

    def perform(self, change: Change, *, strict: bool = False) -> Outcome:
        """Carry a change through.

        Raises PlanMoved where the machine is no longer what the plan was made from (nothing was changed),
        PutBack where verification demanded it, CouldNot where a step failed and the rest was put back.
        """
        with public_files(wanted=self.locations.scope is Scope.EVERYONE):
            return self._perform(change, strict=strict)

    def _perform(self, change: Change, *, strict: bool) -> Outcome:
        number, staging = self._begin(change.plan)
        try:
            with _io_faults("it could not be prepared"):
                steps = change.prepare(staging)
            with scope_lock(
                self.locations.data, self.locations.scope.value, words=change.plan.words, on_wait=self.on_wait
            ):
                if any(step.state() is not StepState.BEFORE for step in steps):
                    raise PlanMoved
                findings = self._switch_and_verify(number, steps, change, strict=strict)
        except BaseException as error:
            self._give_up(number, staging, error)
            raise
        # From here on the change stands, whatever interrupts the tidying up.
        with contextlib.suppress(KeyboardInterrupt):
            self._sweep(staging)
            trim(self.journal, self.locations)
        return Outcome(number=number, findings=findings)

    def _begin(self, plan: Plan) -> tuple[int, Place]:
        with _io_faults("the change could not begin"):
            name = f"{os.getpid()}-{os.urandom(6).hex()}"
            staging = join(self.locations.staging, name)
            entry = Entry(
                number=0,
                words=plan.words,
                aim=plan.aim,
                state=EntryState.PREPARING,
                began_seconds=now_seconds(),
                ended_seconds=0.0,
                process=os.getpid(),
                process_began_seconds=process_began(),
                staging=staging,
                objects=(),
                relies_on=plan.relies_on,
                undoes=plan.undoes,
                note="",
                undoable=True,
            )
            number = self.journal.begin(entry)
            os.makedirs(staging)
        return number, staging

    def _switch_and_verify(
        self, number: int, steps: Sequence[Step], change: Change, *, strict: bool
    ) -> tuple[Finding, ...]:
        """Do the steps and look at the result; whatever goes wrong or interrupts, all is put back."""
        try:
            self.journal.write_steps(number, steps)
            for step in steps:
                carry_out(number, step)
            self.journal.set_state(number, EntryState.VERIFYING)
            findings = change.verify()
            wrong = [one for one in findings if not one.holds and (one.puts_back or strict)]
            if wrong:
                raise _put_back_for(wrong[0])
            self.journal.set_state(number, EntryState.DONE, ended=now_seconds())
        except BaseException as error:
            self._put_back(number, steps)
            if isinstance(error, OSError):
                raise CouldNot(f"{told(error)}; all was put back") from error
            raise
        return findings

    def _put_back(self, number: int, steps: Sequence[Step]) -> None:
        self.journal.set_state(number, EntryState.PUTTING_BACK)
        put_back(number, steps, self.locations)
        self.journal.set_state(number, EntryState.PUT_BACK, ended=now_seconds())

    def _give_up(self, number: int, staging: Place, error: BaseException) -> None:
        self._sweep(staging)
        entry = self.journal.find(number)
        if entry is not None and entry.state is EntryState.PREPARING:
            note = error.what if isinstance(error, UshError) else type(error).__name__
            self.journal.set_state(number, EntryState.ABANDONED, ended=now_seconds(), note=note)

    def _sweep(self, staging: Place) -> None:
        with contextlib.suppress(OSError):
            remove_tree(staging)


def carry_out(number: int, step: Step) -> None:
    """Do one step unless it is done already; leave alone what somebody else has changed."""
    sys.audit("unified_shell.step", number, kind_of(step).value, "before")
    if step.state() is StepState.BEFORE:
        step.carry_out()
    sys.audit("unified_shell.step", number, kind_of(step).value, "after")


def put_back(number: int, steps: Sequence[Step], locations: Locations) -> None:
    """Take steps back, last first; what is back already is passed over."""
    for at, step in reversed(list(enumerate(steps))):
        carry_out(number, step.inverse(retired_place(locations, number, at)))


def _put_back_for(finding: Finding) -> PutBack:
    return PutBack(
        f"{finding.subject}: {finding.answer}; the change was put back",
        where=finding.question,
        next_step=finding.remedy,
    )


def retired_place(locations: Locations, number: int, at: int) -> Place:
    """Return where the tree of a step goes when it is taken back."""
    return join(locations.data, "retired", f"{number}-{at}")


@contextlib.contextmanager
def _io_faults(what: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise CouldNot(f"{what}: {told(error)}", next_step="ush look   (free disk, and where ush stores)") from error
