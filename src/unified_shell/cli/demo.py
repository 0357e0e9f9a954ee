"""`ush demo`."""

import click

from .context import Context, pass_context
from .parsing.abbreviations import CheckedCommand

__all__ = ["demo"]


@click.command(cls=CheckedCommand)
@click.option("--keep", default="", metavar="DIR", help="Keep the scratch home in DIR, which must not exist.")
@pass_context
def demo(context: Context, keep: str) -> None:
    """Run the whole job on the apiary study in a scratch home: look, get, wire, verify, undo; offline."""
    from unified_shell.demo.script import run_demo

    click.get_current_context().exit(run_demo(context.screen, context.host, keep))
