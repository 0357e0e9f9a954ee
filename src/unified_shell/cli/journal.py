"""`ush journal` and `ush undo`."""

import click

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import CheckedCommand, ListCommand

__all__ = ["journal", "undo"]


@click.command(cls=ListCommand)
@click.option("--all", "everything", is_flag=True, help="All changes, not only the newest 20.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@for_whom
@pass_context
def journal(context: Context, *, everything: bool, scope: str, as_json: bool) -> None:
    """Show what was done, newest first, and what is kept for undo."""
    from unified_shell.core.changes.retention import kept_bytes_of
    from unified_shell.core.changes.undo import is_standing
    from unified_shell.views.journal_view import JournalRow, print_journal
    from unified_shell.views.json_view import json_text

    executor = context.executor_for(scope)
    entries = executor.journal.entries(newest=None if everything else 20)
    rows = [
        JournalRow(entry=one, standing=is_standing(executor, one), kept_bytes=kept_bytes_of(executor.journal, one))
        for one in entries
    ]
    if as_json:
        context.screen.result(json_text("journal", rows))
    else:
        print_journal(context.screen, rows)


@click.command(cls=CheckedCommand)
@click.argument("number", type=int, required=False)
@click.option("--through", is_flag=True, help="Also undo the later changes that depend on it.")
@for_whom
@change_options
@pass_context
def undo(context: Context, number: int | None, *, through: bool, how: ChangeOptions) -> None:
    """Undo the newest change, or change NUMBER. Lines that you added since then are kept."""
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.changes.undo import undo_change
    from unified_shell.core.shells.wiring.derived import derive_from_wiring
    from unified_shell.core.verification.wired_sessions import check_wired_sessions

    executor = context.executor_for(how.scope)

    def make() -> Change:
        return undo_change(
            executor,
            number,
            derive=lambda steps: derive_from_wiring(steps, context.host, executor.locations),
            through=through,
            verify=lambda: check_wired_sessions(context.host, context.locations),
        )

    perform(context, make, how)
