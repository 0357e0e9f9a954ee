"""`ush demo`."""

import click

from unified_shell.core.errors import UsageError

from .context import Context, pass_context
from .parsing.abbreviations import CheckedCommand

__all__ = ["demo"]


@click.command(cls=CheckedCommand)
@click.option("--keep", default="", metavar="DIR", help="Keep the scratch home in DIR, which must not exist.")
@click.option(
    "--files",
    default="",
    metavar="DIR",
    help="Only write the sample files to DIR, which must not exist; run nothing.",
)
@pass_context
def demo(context: Context, keep: str, files: str) -> None:
    """Run the whole job on the apiary study in a scratch home: look, get, wire, verify, undo; offline."""
    if files:
        if keep:
            raise UsageError(
                "--files runs nothing, so there is no scratch home to keep", next_step="leave out --keep"
            )
        _write_files(context, files)
        return
    from unified_shell.demo.script import run_demo

    click.get_current_context().exit(run_demo(context.screen, context.host, keep))


def _write_files(context: Context, text: str) -> None:
    from unified_shell.core.machine.places import shown
    from unified_shell.core.next_steps import Command
    from unified_shell.demo.sample_files import write_sample_files

    folder = write_sample_files(text, context.host)
    context.screen.result(f"The sample files of the apiary study are in {shown(folder, context.host.home)}.")
    context.screen.next(Command(words=("cd", folder), why="the examples of README and help are typed there"))
