"""The executor that every change takes: prepare, switch, verify, keep.

The entry is durable before its staging folder is made; all its steps are durable before the first is done.
So whatever was left by a killed process can be told from the journal: what was only prepared is swept, what
had begun to switch is carried on. An audit event `unified_shell.step` is raised before and after each step.
"""

import contextlib
import os
import sys
from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.errors import CouldNot, PutBack, Unfinished, UshError, os_error_text
from unified_shell.core.findings import Finding
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.modes import public_files
from unified_shell.core.machine.locations import Locations, Scope, private_folders
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.machine.processes.presence import present, this_worker
from unified_shell.core.next_steps import ush

from .early_places import sweep_staging
from .journal import Entry, EntryState, Journal
from .locks import scope_lock
from .plan import Change, Outcome, Plan, Prepared
from .retention import trim
from .steps import Step, StepState, first_on_each, kind_of

__all__ = ["Executor", "PlanMoved", "is_of_here", "presence_lock", "retired_place"]

# What is noted of a change that was given up before anything of it could be seen.
GIVEN_UP = {"PlanMoved": "planned anew: another change came first", "KeyboardInterrupt": "interrupted"}


class PlanMoved(Exception):
    """Something that the plan was made from has changed meanwhile."""


def _no_word(_what: object) -> None:
    """Say nothing."""


class Executor(Struct, frozen=True, kw_only=True):
    """The executor of one scope. `on_wait` is told for whom a change waits, `on_done` the number of one that stands; the lock of one
    that `is_held` is held already.
    """

    locations: Locations
    journal: Journal
    on_wait: Callable[[str], None] = _no_word
    on_done: Callable[[int], None] = _no_word
    is_held: bool = False

    @contextlib.contextmanager
    def exclusive(self, words: str) -> Iterator["Executor"]:
        """Hold the scope's lock for a block, in which a change is planned and carried through by the executor that it yields.

        For one whose plan was overtaken: whoever waits longest is not refused, since nobody comes in between.
        """
        with scope_lock(self.locations.data, self.locations.scope.value, words=words, on_wait=self.on_wait):
            yield replace(self, is_held=True)

    def perform(self, change: Change, *, words: str = "", strict: bool = False) -> Outcome:
        """Carry a change through; `words` are the call as typed, which the journal keeps.

        Raises PlanMoved where the machine is no longer what the plan was made from (nothing was changed),
        PutBack where verification demanded it, CouldNot where a step failed and the rest was put back.
        """
        with public_files(wanted=self.locations.scope is Scope.EVERYONE):
            return self._perform(change, words or change.plan.aim, strict=strict)

    def _perform(self, change: Change, words: str, *, strict: bool) -> Outcome:
        name = f"{os.getpid()}-{os.urandom(6).hex()}"
        private_folders(self.locations)
        with _present(presence_lock(self.locations, join(self.locations.staging, name))):
            return self._perform_as(name, change, words, strict=strict)

    def _perform_as(self, name: str, change: Change, words: str, *, strict: bool) -> Outcome:
        number, staging = self._begin(name, words, change.plan)
        try:
            with _io_faults("the change could not be prepared"):
                prepared = change.prepare(staging)
            with contextlib.nullcontext() if self.is_held else self.exclusive(words):
                if any(step.state() is not StepState.BEFORE for step in first_on_each(prepared.steps)):
                    raise PlanMoved
                findings = self._switch_and_verify(number, prepared, strict=strict)
        except BaseException as error:
            self._give_up(number, staging, error)
            raise
        # From here on the change stands, whatever interrupts the tidying up.
        with contextlib.suppress(KeyboardInterrupt):
            self._sweep(staging)
            trim(self.journal, self.locations)
        return Outcome(number=number, findings=findings)

    def _begin(self, name: str, words: str, plan: Plan) -> tuple[int, Place]:
        with _io_faults("the change could not begin"):
            staging = join(self.locations.staging, name)
            entry = Entry(
                number=0,
                words=words,
                aim=plan.aim,
                state=EntryState.PREPARING,
                began_seconds=now_seconds(),
                ended_seconds=0.0,
                worker=this_worker(),
                staging=staging,
                objects=(),
                relies_on=plan.relies_on,
                undoes=plan.undoes,
                undoes_too=plan.undoes_too,
                note="",
                undoable=True,
            )
            number = self.journal.begin(entry)
            os.makedirs(staging)
        return number, staging

    def _switch_and_verify(self, number: int, prepared: Prepared, *, strict: bool) -> tuple[Finding, ...]:
        """Do the steps and look at the result; whatever goes wrong or interrupts, all is put back."""
        try:
            self.journal.write_steps(number, prepared.steps)
            for step in prepared.steps:
                carry_out(number, step)
                if step.state() is StepState.OTHER:
                    raise CouldNot(
                        f"{step.object_name} was changed by another program meanwhile; everything was put back"
                    )
            self.journal.set_state(number, EntryState.VERIFYING)
            findings = prepared.verify()
            wrong = [one for one in findings if one.is_fault and (one.puts_back or strict)]
            if wrong:
                raise _put_back_for(wrong[0])
            self.journal.set_state(number, EntryState.DONE, ended=now_seconds())
            self.on_done(number)
        except BaseException as error:
            self._put_back(number, prepared.steps, error)
            if isinstance(error, OSError):
                raise CouldNot(f"{os_error_text(error)}; everything was put back") from error
            raise
        return findings

    def _put_back(self, number: int, steps: Sequence[Step], because: BaseException) -> None:
        try:
            self.journal.set_state(number, EntryState.PUTTING_BACK)
            put_back(number, steps, self.locations)
            self.journal.set_state(number, EntryState.PUT_BACK, ended=now_seconds())
        except (OSError, CouldNot) as error:
            why = os_error_text(because) if isinstance(because, OSError) else str(because)
            raise Unfinished(
                f"change {number} is unfinished: {why or type(because).__name__}, and it could not be put back",
                where=os_error_text(error) if isinstance(error, OSError) else str(error),
                next_step=ush("look", why="free disk, and where ush stores; the next change then finishes this one"),
            ) from error

    def _give_up(self, number: int, staging: Place, error: BaseException) -> None:
        self._sweep(staging)
        # Where the journal cannot be written either, the next changing call finds the entry and gives it up.
        with contextlib.suppress(CouldNot):
            entry = self.journal.find(number)
            if entry is not None and entry.state is EntryState.PREPARING:
                note = error.message if isinstance(error, UshError) else GIVEN_UP.get(type(error).__name__, "")
                self.journal.set_state(number, EntryState.ABANDONED, ended=now_seconds(), note=note)

    def _sweep(self, staging: Place) -> None:
        with contextlib.suppress(OSError):
            sweep_staging(staging)


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


def is_of_here(entry: Entry, executor: Executor) -> bool:
    """Tell whether a change was made where its journal is now: the paths of one from elsewhere lead there."""
    return lies_in(entry.staging, executor.locations.staging)


def presence_lock(locations: Locations, staging: str) -> Place:
    """Return the file that whoever prepares in a staging folder holds locked."""
    return join(locations.data, "locks", f"change-{os.path.basename(staging)}.lock")


@contextlib.contextmanager
def _present(lock: str) -> Iterator[None]:
    with contextlib.ExitStack() as stack:
        with _io_faults("the change could not begin"):
            stack.enter_context(present(lock))
        yield


@contextlib.contextmanager
def _io_faults(what: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise CouldNot(
            f"{what}: {os_error_text(error)}", next_step=ush("look", why="free disk, and where ush stores")
        ) from error
