"""`ush verify`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.errors import WordsOff

from .beginnings import CheckedCommand
from .performing import How, for_whom, perform
from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.known import Environment
    from unified_shell.core.findings import Finding

__all__ = ["verify"]


@click.command(cls=CheckedCommand)
@click.argument("names", nargs=-1, metavar="[NAME]...")
@click.option("--thorough", is_flag=True, help="Compare the content of every file, not size and time alone.")
@click.option("--mend", is_flag=True, help="Put files that were edited or are gone back as recorded, then verify.")
@click.option("-y", "--yes", is_flag=True, help="With --mend: do not ask; go ahead with the plan.")
@click.option("--plan", "only_plan", is_flag=True, help="With --mend: show the plan and change nothing.")
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
@for_whom
@pass_bench
def verify(
    bench: Workbench,
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

    NAME is an environment or an interpreter that ush keeps. Without one: the entered environment, else all of
    them. Exit code 1 if anything is at fault.
    """
    from unified_shell.core.environments.known import environment_names, find_environment, list_environments
    from unified_shell.core.interpreters.kept import all_kept
    from unified_shell.core.interpreters.proofs import prove
    from unified_shell.core.verification.environment_checks import check_readable
    from unified_shell.views.json_view import json_text
    from unified_shell.views.verify_view import print_verification

    how = How(yes=yes, only_plan=only_plan, as_json=as_json and only_plan, strict=False, scope=scope)
    if (yes or only_plan) and not mend:
        raise WordsOff("--yes and --plan belong to --mend", next_step="ush verify --mend --plan")
    entered = bench.host.variable("USH_ENVIRONMENT")
    kept = {one.name: one for one in all_kept(bench.host, bench.locations)}
    known = environment_names(bench.locations)
    interpreters = [kept[name] for name in names if name in kept and name not in known]
    if names or entered:
        wanted = [name for name in names or (entered,) if name in known or name not in kept]
        targets = [find_environment(name, bench.host, bench.locations) for name in wanted]
    else:
        targets = list(list_environments(bench.locations))
    if mend:
        _mend(bench, targets, how, thorough=thorough)
        if only_plan:
            return
        targets = [find_environment(one.name, bench.host, bench.locations) for one in targets]
    results: list[tuple[str, tuple[Finding, ...]]] = [
        (f"interpreter {one.name}", prove(one, bench.host)) for one in interpreters
    ]
    if not names and not entered:
        results += [(f"environment {one.subject}", (one,)) for one in check_readable(bench.locations)]
    if targets or not interpreters:
        results += _environments(bench, targets, thorough=thorough)
    if as_json:
        body = [{"target": target, "findings": found} for target, found in results]
        bench.screen.result(json_text("verification", body))
    else:
        print_verification(bench.screen, results)
    if any(not one.holds for _, found in results for one in found):
        click.get_current_context().exit(1)


def _mend(bench: Workbench, targets: "Sequence[Environment]", how: How, *, thorough: bool) -> None:
    """Put the files of environments back as recorded: of mine, or with `--for everyone` of everyone's."""
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.environments.mending import plan_mend_environments

    locations = bench.rights_for(how.scope)
    names = [one.name for one in targets if how.scope == "everyone" or not one.everyones]

    def make() -> "Change":
        found = [find_environment(name, bench.host, locations) for name in names]
        client = bench.indexes_for(how.scope)
        return plan_mend_environments(
            found, client, bench.host, locations, thorough=thorough, progress=bench.tell_progress
        )

    perform(bench, make, how)


def _environments(
    bench: Workbench, targets: "Sequence[Environment]", *, thorough: bool
) -> "list[tuple[str, tuple[Finding, ...]]]":
    from unified_shell.core.verification.environment_checks import check_environment
    from unified_shell.core.verification.session_checks import check_sessions, check_wired_sessions

    bench.screen.say("New sessions of your shells are opened; they run your startup files.")
    results: list[tuple[str, tuple[Finding, ...]]] = []
    for target in targets:
        found = check_environment(target, bench.host, thorough=thorough)
        sessions = check_sessions(target, bench.host, bench.locations)
        results.append((f"environment {target.name}", (*sessions, *found)))
    if not targets:
        results.append(("sessions", check_wired_sessions(bench.host, bench.locations)))
    return results
