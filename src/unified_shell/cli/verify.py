"""`ush verify`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.errors import UsageError
from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, for_whom, perform
from .context import Context, pass_context
from .options.verify_options import VerifyOptions, verify_options
from .parsing.abbreviations import CheckedCommand

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.changes.plan import Change
    from unified_shell.core.findings import Finding
    from unified_shell.core.verification.targets.target import Target
    from unified_shell.core.verification.verifying import Verified

__all__ = ["verify"]


@click.command(cls=CheckedCommand)
@click.argument("names", nargs=-1, metavar="[TARGET]...")
@verify_options
@for_whom
@pass_context
def verify(context: Context, names: tuple[str, ...], *, options: VerifyOptions, scope: str) -> None:
    """Verify that new sessions find commands and import modules, and name the cause where they do not.

    TARGET is an environment, interpreter, command, module, package, variable, directory, startup file or program, with its
    kind before it where that is needed (module:waggle, module:waggle@hive) and a version bound behind ('python3>=3.11').
    Without one: all that is wired, preferred, installed, adopted and offered. Exit code 1 if anything is at fault.
    """
    from unified_shell.views.verify_view import print_checks, print_verification

    from .verify_reports import Reports

    if options.list_checks:
        print_checks(context.screen, as_json=options.as_json)
        return
    if (options.yes or options.only_plan) and not options.mend:
        raise UsageError("--yes and --plan belong to --mend", next_step=ush("verify", "--mend", "--plan"))
    if options.html:
        from unified_shell.views.reports.report_page import check_can_make_pages

        check_can_make_pages()
    targets = _targets(context, names, own_only=bool(options.checks))
    found = _verified(context, targets, options)
    if options.mend:
        _mend(context, found, options, scope)
        if options.only_plan:
            return
        targets = [one for one in targets if not _is_withdrawn(one)]
        found = _verified(context, targets, options)
    reports = Reports(context, found, options)
    if options.as_json:
        context.screen.result(reports.json())
    else:
        print_verification(context.screen, found, names=names, in_full=options.in_full)
        reports.print_difference()
    reports.write()
    if any(one.faults for one in found):
        click.get_current_context().exit(1)


def _targets(context: Context, names: tuple[str, ...], *, own_only: bool) -> "Sequence[Target]":
    from unified_shell.core.verification.targets.everything import everything
    from unified_shell.core.verification.targets.naming import targets_named

    if names:
        return targets_named(names, context.host, context.locations)
    # Checks of a file are asked for by themselves; all else then only where it is named.
    return () if own_only else everything(context.host, context.locations)


def _verified(context: Context, targets: "Sequence[Target]", options: VerifyOptions) -> "tuple[Verified, ...]":
    from unified_shell.core.verification.own_checks import read_own_checks, verify_own_checks
    from unified_shell.core.verification.verifying import opens_sessions, surroundings, verify

    if opens_sessions(targets) or options.checks:
        context.screen.say("Opens new sessions of your shells; they run your startup files.")
    around = surroundings(
        targets,
        context.host,
        context.locations,
        thorough=options.thorough,
        launch=options.launch,
        limit_seconds=options.limit,
    )
    own = [(read_own_checks(file, around), file) for file in options.checks]
    with context.progress.shown("Verify"):
        found = verify(targets, around, progress=context.tell_progress)
        return (*found, *(verify_own_checks(checks, file, around) for checks, file in own))


def _is_withdrawn(target: "Target") -> bool:
    import os

    from unified_shell.core.verification.targets.target import Kind

    return target.kind is Kind.OFFER and not os.path.exists(target.name)


def _mend(context: Context, found: "Sequence[Verified]", options: VerifyOptions, scope: str) -> None:
    """Mend what needs no decision: of mine, or with `--for everyone` of everyone's."""
    from unified_shell.core.verification.mending import plan_mend_findings

    how = ChangeOptions(
        yes=options.yes,
        only_plan=options.only_plan,
        as_json=options.as_json and options.only_plan,
        strict=False,
        scope=scope,
    )
    findings: list[Finding] = [finding for one in found for finding in one.findings]
    locations = context.locations_for(how.scope)

    def make() -> "Change":
        return plan_mend_findings(
            findings,
            context.indexes_for(how.scope),
            context.host,
            locations,
            thorough=options.thorough,
            progress=context.tell_progress,
        )

    perform(context, make, how)
