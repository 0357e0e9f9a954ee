"""From a request to an outcome: recover what was left, plan, show, ask, perform, tell."""

import contextlib
import functools
import sys
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import click
from msgspec import Struct

from unified_shell.core.errors import Refused

from .parsing.abbreviations import typed_call, typed_words

if TYPE_CHECKING:
    from unified_shell.core.changes.executor import Executor
    from unified_shell.core.changes.plan import Change, Outcome, Plan
    from unified_shell.core.next_steps import Afterward

    from .context import Context

__all__ = ["ChangeOptions", "change_options", "check_rights_for", "for_whom", "perform"]

# Two writers that keep undoing each other's ground would go on for ever; honest ones settle at once.
MAX_REMADE = 5


for_whom = click.option(
    "--for",
    "scope",
    type=click.Choice(["me", "everyone"]),
    default="me",
    show_default=True,
    help="Who it is for; `everyone` needs root.",
)


class ChangeOptions(Struct, frozen=True, kw_only=True):
    """What the options of a changing command say; `scope` is whose the change is: `me` or `everyone`."""

    yes: bool
    only_plan: bool
    as_json: bool
    strict: bool
    scope: str = "me"


def _be_quiet(ctx: click.Context, _option: click.Parameter, value: object) -> None:
    from .context import Context

    if (context := ctx.find_object(Context)) is not None:
        context.quiet = bool(value)


def check_rights_for(scope: str) -> None:
    """Raise Refused where everyone's things cannot be written, before anything is looked at or asked."""
    if scope != "everyone":
        return
    from unified_shell.core.shells.planning.everyone import check_rights

    from .context import Context

    ctx = click.get_current_context()
    context = ctx.ensure_object(Context)
    check_rights(typed_words(ctx), context.host, context.locations_for("everyone"))


def change_options(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that every changing one has; it is called with one `how` for them."""

    @functools.wraps(command)
    def with_how(
        *args: object, yes: bool, only_plan: bool, as_json: bool, strict: bool, scope: str = "me", **rest: object
    ) -> None:
        check_rights_for(scope)
        how = ChangeOptions(yes=yes, only_plan=only_plan, as_json=as_json, strict=strict, scope=scope)
        command(*args, how=how, **rest)

    options = (
        click.option(
            "--quiet",
            is_flag=True,
            expose_value=False,
            callback=_be_quiet,
            help="Do not show progress.",
        ),
        click.option("--strict", is_flag=True, help="Undo the change if any check fails."),
        click.option("--json", "as_json", is_flag=True, help="Print the plan as JSON; with --yes, the outcome."),
        click.option("--plan", "only_plan", is_flag=True, help="Show the plan and change nothing."),
        click.option("-y", "--yes", is_flag=True, help="Carry out the plan without asking."),
    )
    for option in options:
        with_how = option(with_how)
    return with_how


def perform(
    context: "Context",
    make: "Callable[[], Change]",
    how: ChangeOptions,
    *,
    tell: "Callable[[Outcome], Sequence[Afterward]] | None" = None,
) -> None:
    """Carry a request through and exit with 1 where something is at fault afterwards.

    `make` plans; it is called again where the machine moved on meanwhile, and the new plan is shown where
    it differs. `tell` returns more lines for the end.
    """
    from unified_shell.core.machine.files.modes import public_files

    with public_files(wanted=how.scope == "everyone"):
        _perform(context, make, how, tell)


def _perform(
    context: "Context",
    make: "Callable[[], Change]",
    how: ChangeOptions,
    tell: "Callable[[Outcome], Sequence[Afterward]] | None",
) -> None:
    from unified_shell.core.changes.recovery import recover
    from unified_shell.views.plan_view import print_outcome

    scope = how.scope
    executor = context.executor if scope == "me" else context.executor_for(scope)
    if not how.only_plan:
        for said in recover(executor):
            context.screen.say(said)
    found = _agree_and_carry(context, executor, make, how)
    if found is None:
        return
    change, outcome = found
    more = (*(tell(outcome) if tell is not None else ()), *_running_on_old(context, executor, outcome.number, scope))
    if how.as_json:
        _print_as_json(context, change, outcome, more)
    else:
        afterwards = (*change.plan.afterwards, *more)
        print_outcome(context.screen, outcome, afterwards, is_undo=bool(change.plan.undoes), scope=scope)
    if outcome.faults:
        click.get_current_context().exit(1)


def _running_on_old(context: "Context", executor: "Executor", number: int, scope: str) -> "tuple[Afterward, ...]":
    """Return a line for each running program that does not see what a change made of the environment it was started from."""
    from unified_shell.core.changes.steps import FlipLink
    from unified_shell.core.environments.model.registry import every_environment
    from unified_shell.core.environments.old_programs import programs_on_old

    steps = executor.journal.steps(number)
    flipped = {one.link for one in steps if isinstance(one, FlipLink) and one.before and one.after}
    if not flipped:
        return ()
    changed = [one for one in every_environment(context.locations_for(scope)) if one.prefix in flipped]
    return tuple(
        f"{one.name} ({one.process_id}) began before this change of {one.value}; restart it to see the change"
        for one in programs_on_old(changed)
    )


def _print_as_json(context: "Context", change: "Change", outcome: "Outcome", more: "Sequence[Afterward]") -> None:
    from unified_shell.views.json_view import json_text

    fields = {
        "number": outcome.number,
        "words": typed_call(click.get_current_context()),
        "findings": outcome.findings,
        "afterwards": (*change.plan.afterwards, *more),
    }
    context.screen.result(json_text("outcome", fields))


def _agree_and_carry(
    context: "Context", executor: "Executor", make: "Callable[[], Change]", how: ChangeOptions
) -> "tuple[Change, Outcome] | None":
    """Plan, agree and carry through; None where nothing is to be done. Where another change came first, plan anew with
    the lock held, so that nobody comes in between; a person is asked only about what they have not agreed to.
    """
    from unified_shell.core.changes.executor import PlanMoved

    with context.progress.shown("Plan"):
        change = make()
    if not _go_on(context, change.plan, None, how):
        return None
    try:
        return change, _carry_through(context, executor, change, strict=how.strict)
    except PlanMoved:
        context.screen.say("another change came first; planning again")
    for _ in range(MAX_REMADE):
        agreed = change.plan
        with contextlib.suppress(PlanMoved), executor.exclusive(typed_call(click.get_current_context())) as held:
            change = make()
            if how.yes or change.plan == agreed or change.plan.nothing_to_do:
                if not _go_on(context, change.plan, agreed, how):
                    return None
                return change, _carry_through(context, held, change, strict=how.strict)
        # Nobody waits for a person: what is new in the plan is asked about with the lock let go of.
        if not _go_on(context, change.plan, agreed, how):
            return None
    raise Refused("the files of this change keep changing; nothing was changed", next_step="try again later")


def _go_on(context: "Context", plan: "Plan", agreed: "Plan | None", how: ChangeOptions) -> bool:
    """Show a plan and say whether it is to be done; raises Refused where nobody can be asked."""
    import msgspec

    from unified_shell.views.json_view import json_text
    from unified_shell.views.plan_view import print_afterwards, print_plan

    if how.as_json and (how.only_plan or plan.nothing_to_do):
        call = typed_call(click.get_current_context())
        context.screen.result(json_text("plan", {"words": call, **msgspec.structs.asdict(plan)}))
        return False
    if how.as_json and not how.yes:
        raise Refused("--json cannot ask; nothing was changed", again_with=("--yes",))
    if plan.nothing_to_do:
        context.screen.result(f"Nothing to change: {plan.nothing_to_do}.")
        print_afterwards(context.screen, plan.afterwards)
        return False
    if plan == agreed:
        return True
    if how.as_json:
        return True
    print_plan(context.screen, plan, in_full=how.only_plan)
    if how.only_plan:
        return False
    if how.yes:
        return True
    if not sys.stdin.isatty():
        raise Refused("there is no terminal to ask at; nothing was changed", again_with=("--yes",))
    if not click.confirm("Go ahead?", default=not _takes_away(), err=True):
        context.screen.say("Nothing was changed.")
        click.get_current_context().exit(3)
    return True


def _takes_away() -> bool:
    """Tell whether this call takes something away: then return alone is no consent."""
    words = typed_words(click.get_current_context())
    return "drop" in words[1:2] or "--drop-unnamed" in words


def _carry_through(context: "Context", executor: "Executor", change: "Change", *, strict: bool) -> "Outcome":
    with context.progress.shown(change.plan.aim, at_once=True):
        return executor.perform(change, words=typed_call(click.get_current_context()), strict=strict)
