"""`ush verify`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.errors import UsageError
from unified_shell.core.next_steps import ush

from .abbreviations import CheckedCommand
from .change_flow import ChangeOptions, for_whom, perform
from .context import Context, pass_context

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.model.registry import Environment
    from unified_shell.core.findings import Finding

__all__ = ["verify"]


@click.command(cls=CheckedCommand)
@click.argument("names", nargs=-1, metavar="[NAME]...")
@click.option("--thorough", is_flag=True, help="Compare the content of every file, not only size and time.")
@click.option("--mend", is_flag=True, help="Restore files that were edited or lost, then verify.")
@click.option("-y", "--yes", is_flag=True, help="With --mend: carry out the plan without asking.")
@click.option("--plan", "only_plan", is_flag=True, help="With --mend: show the plan and change nothing.")
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
@for_whom
@pass_context
def verify(
    context: Context,
    names: tuple[str, ...],
    *,
    thorough: bool,
    mend: bool,
    yes: bool,
    only_plan: bool,
    as_json: bool,
    scope: str,
) -> None:
    """Verify that new sessions open, find an environment's commands, and that everything in it imports.

    NAME is an environment or an interpreter managed by ush. Without one: the entered environment, else all of
    them. Exit code 1 if anything is at fault.
    """
    from unified_shell.core.environments.model.registry import environment_names, find_environment, list_environments
    from unified_shell.core.interpreters.getting.proofs import prove
    from unified_shell.core.interpreters.managed import all_managed
    from unified_shell.core.verification.packages.environment_checks import check_readable
    from unified_shell.views.json_view import json_text
    from unified_shell.views.verify_view import print_verification

    how = ChangeOptions(yes=yes, only_plan=only_plan, as_json=as_json and only_plan, strict=False, scope=scope)
    if (yes or only_plan) and not mend:
        raise UsageError("--yes and --plan belong to --mend", next_step=ush("verify", "--mend", "--plan"))
    entered = context.host.variable("USH_ENVIRONMENT")
    kept = {one.name: one for one in all_managed(context.host, context.locations)}
    known = environment_names(context.locations)
    interpreters = [kept[name] for name in names if name in kept and name not in known]
    if names or entered:
        wanted = [name for name in names or (entered,) if name in known or name not in kept]
        targets = [find_environment(name, context.host, context.locations) for name in wanted]
    else:
        targets = list(list_environments(context.locations))
    if mend:
        _mend(context, targets, how, thorough=thorough)
        if only_plan:
            return
        targets = [find_environment(one.name, context.host, context.locations) for one in targets]
    results: list[tuple[str, tuple[Finding, ...]]] = [
        (f"interpreter {one.name}", prove(one, context.host)) for one in interpreters
    ]
    if not names and not entered:
        results += [(f"environment {one.subject}", (one,)) for one in check_readable(context.locations)]
    if targets or not interpreters:
        results += _environments(context, targets, thorough=thorough)
    if as_json:
        body = [{"target": target, "findings": found} for target, found in results]
        context.screen.result(json_text("verification", body))
    else:
        print_verification(context.screen, results)
    if any(one.is_fault for _, found in results for one in found):
        click.get_current_context().exit(1)


def _mend(context: Context, targets: "Sequence[Environment]", how: ChangeOptions, *, thorough: bool) -> None:
    """Put the files of environments back as recorded: of mine, or with `--for everyone` of everyone's."""
    from unified_shell.core.environments.model.registry import find_environment
    from unified_shell.core.environments.upkeep.store_repair import plan_mend_environments

    locations = context.locations_for(how.scope)
    names = [one.name for one in targets if how.scope == "everyone" or not one.everyones]

    def make() -> "Change":
        found = [find_environment(name, context.host, locations) for name in names]
        client = context.indexes_for(how.scope)
        return plan_mend_environments(
            found, client, context.host, locations, thorough=thorough, progress=context.tell_progress
        )

    perform(context, make, how)


def _environments(
    context: Context, targets: "Sequence[Environment]", *, thorough: bool
) -> "list[tuple[str, tuple[Finding, ...]]]":
    from unified_shell.core.verification.packages.environment_checks import check_environment
    from unified_shell.core.verification.session_checks import check_sessions, check_wired_sessions

    context.screen.say("Opens new sessions of your shells; they run your startup files.")
    results: list[tuple[str, tuple[Finding, ...]]] = []
    for target in targets:
        found = check_environment(target, context.host, thorough=thorough)
        sessions = check_sessions(target, context.host, context.locations)
        results.append((f"environment {target.name}", (*sessions, *found)))
    if not targets:
        results.append(("sessions", check_wired_sessions(context.host, context.locations)))
    return results
