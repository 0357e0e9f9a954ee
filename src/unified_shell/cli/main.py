"""The entry point: the nouns by stage of the work, unique beginnings, errors turned into words."""

import importlib
import os
import sys
from collections.abc import Sequence
from typing import ClassVar

import click

from unified_shell import __version__
from unified_shell.core.errors import CouldNot, UsageError, UshError, os_error_text
from unified_shell.core.machine.interrupts import interrupting_signal, is_interrupted, note_interrupts
from unified_shell.core.machine.places import typed
from unified_shell.views.terminal.plain_text import plain_text

from .parsing.abbreviations import HelpContext, resolve_beginning
from .streams import prepare_streams, trouble_of_output

__all__ = ["main"]

# stage, noun, module:object, what it is about. The modules are imported when their noun is typed.
NOUNS = (
    ("Look", "look", "look:look", "This session and machine at a glance; a command, module or file."),
    (
        "Get",
        "interpreter",
        "interpreter:interpreter",
        "Find, install, build, pack and register interpreters.",
    ),
    ("Get", "environment", "environment:environment", "Create, copy, enter and offer isolated environments."),
    ("Get", "package", "package:package", "Install, list, update and remove packages."),
    ("Get", "suite", "suite:suite", "Install, build and try software that is no Python package."),
    ("Get", "command", "command:command", "Prefer one of several candidates, or install a single command."),
    ("Get", "index", "index:index", "The indexes that packages come from; serve a folder of wheels."),
    ("Get", "store", "store:store", "The unpacked packages that environments share."),
    ("Get", "catalog", "catalog:catalog", "The catalogs that describe interpreters and suites."),
    ("Wire", "path", "path:path", "Directories on PATH and other search paths in new sessions."),
    ("Wire", "variable", "variable:variable", "Variables in new sessions."),
    ("Wire", "shell", "shell:shell", "Startup files, and the hook-up that makes them read the wiring."),
    ("Verify", "verify", "verify:verify", "Check that new sessions launch the commands and import the packages."),
    ("Keep", "outfit", "outfit:outfit", "A whole set-up in one file: compare, carry out, capture, lock."),
    ("Keep", "journal", "journal:journal", "What was done."),
    ("Keep", "undo", "journal:undo", "Undo a change."),
    ("Try", "demo", "demo:demo", "Try the whole job on sample data, in a scratch home, offline."),
    ("Try", "help", "help:help_", "How things work here: topics, causes of faults, any command."),
)


class StagedGroup(click.Group):
    """The top group: commands by stage, loaded when typed, found by their unique beginnings."""

    context_class = HelpContext
    modules: ClassVar[dict[str, str]] = {noun: place for _, noun, place, _ in NOUNS}

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the nouns in the order of the work."""
        return list(self.modules)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Return a noun's command."""
        place = self.modules.get(cmd_name)
        if place is None:
            return None
        module, _, name = place.partition(":")
        found: click.Command = getattr(importlib.import_module(f"unified_shell.cli.{module}"), name)
        return found

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Find a noun by its name or the unique beginning of it."""
        return resolve_beginning(self, ctx, args, "command")

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the nouns by stage."""
        for stage in dict.fromkeys(stage for stage, *_ in NOUNS):
            with formatter.section(stage):
                formatter.write_dl([(noun, about) for one, noun, _, about in NOUNS if one == stage])


@click.group(cls=StagedGroup, invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="ush", message="%(prog)s %(version)s")
@click.option("--plain", is_flag=True, help="No colours, cursor movement or pager; as USH_PLAIN=1 for all calls.")
@click.option("--trace", is_flag=True, help="Show where in the program an error arose.")
@click.pass_context
def ush(ctx: click.Context, *, plain: bool, trace: bool) -> None:
    """Set up a research machine and verify that it works.

    Look at what is there, get what is missing, wire it into the shells, verify that a new session launches
    the commands and imports the packages; every change is planned, shown, and can be undone.
    """
    from .context import Context

    context = Context(trace=trace, plain=plain, done=ctx.obj if isinstance(ctx.obj, list) else [])
    ctx.obj = context
    if ctx.invoked_subcommand is None:
        from .look import show_standing

        show_standing(context)


def main() -> None:
    """Run the command line and exit with its code."""
    prepare_streams()
    note_interrupts()
    # The changes of this call that stand, whatever comes after them.
    done: list[int] = []
    code = _run(done, trace="--trace" in sys.argv[1:3])
    if (trouble := trouble_of_output()) and code in (0, 1):
        click.echo(f"ush: the output could not be written: {trouble}", err=True)
        code = 4
    sys.stderr.flush()
    if is_interrupted():
        # Threads may wait for a server still; leaving by the usual way would wait for them.
        os._exit(code)
    sys.exit(code)


def _run(done: list[int], *, trace: bool) -> int:
    """Run the command line and return its code, errors turned into words."""
    try:
        code = ush.main(prog_name="ush", standalone_mode=False, obj=done)
        return code if isinstance(code, int) else 0
    except click.ClickException as error:
        _tell(_in_our_words(error), trace=trace)
        return 2
    except (click.Abort, KeyboardInterrupt):
        numbers = ", ".join(map(str, done))
        stands = f"change {numbers} stands   (undo: ush undo {done[-1]})" if done else "nothing was changed"
        click.echo(f"ush: interrupted; {stands}", err=True)
        # By the custom of shells; 130 is an interrupt from the keyboard.
        return 128 + (interrupting_signal() or 2)
    except UshError as error:
        _tell(error, trace=trace)
        return error.exit_code
    except OSError as error:
        # No fault of the program: a disk, a permission, a file that went away.
        _tell(_disk_trouble(error), trace=trace)
        return CouldNot.exit_code
    except MemoryError:
        _tell(CouldNot("there is too little memory", next_step="end other programs, then try again"), trace=trace)
        return CouldNot.exit_code
    except Exception as error:  # noqa: BLE001 - a fault of ours is told in words, its place kept in the log
        _tell_unforeseen(error, trace=trace)
        return 4


def _disk_trouble(error: OSError) -> CouldNot:
    from unified_shell.core.next_steps import ush as command

    return CouldNot(os_error_text(error), next_step=command("look", why="free disk, and where ush stores"))


def _in_our_words(error: click.ClickException) -> UshError:
    from unified_shell.core.next_steps import Command

    from .parsing.everyday_words import instead_of_option

    ctx = error.ctx if isinstance(error, click.UsageError) else None
    text = error.format_message().rstrip(".")
    if isinstance(error, click.NoSuchOption) and ctx is not None:
        known = [name for one in ctx.command.params for name in (*one.opts, *one.secondary_opts)]
        meant = instead_of_option(error.option_name, [name for name in known if name.startswith("-")])
        text = f"no such option {error.option_name!r}" + (f". Did you mean {meant!r}?" if meant else "")
    return UsageError(
        text[:1].lower() + text[1:],
        next_step=Command(words=(*(ctx.command_path if ctx else "ush").split(), "--help")),
    )


def _tell(error: UshError, *, trace: bool) -> None:
    if _asked_for_json():
        _tell_as_json(error)
    else:
        lines = [f"ush: {error}"]
        if step := _next_step(error, sys.argv[1:]):
            lines.append(f"Next: {step}")
        click.echo(plain_text("\n".join(lines)), err=True)
    if trace:
        raise error


def _asked_for_json() -> bool:
    """Tell whether JSON was asked of us, and not of a command that is run in an environment."""
    words = sys.argv[1:]
    return "--json" in words[: words.index("--")] if "--" in words else "--json" in words


def _tell_as_json(error: UshError) -> None:
    """Print the error as data for the program that asked for it: on the error stream, where results never are."""
    from unified_shell.views.json_view import json_text

    step = _next_step(error, sys.argv[1:])
    fields = {"error": error.message, "where": error.where, "next_step": step, "exit_code": error.exit_code}
    click.echo(json_text("error", fields), err=True)


def _next_step(error: UshError, words: Sequence[str]) -> str:
    """Return what to type next; where it is the same call in other words, those are written out."""
    from unified_shell.views.next_step_text import next_step_text

    home = os.path.expanduser("~")
    if error.instead and all(old in words for old, _ in error.instead):
        meant = dict(error.instead)
        return " ".join(("ush", *(typed(meant.get(one, one)) for one in words)))
    if not error.again_with and not error.again_without:
        return next_step_text(error.next_step, home)
    again = [*(one for one in words if one not in error.again_without), *error.again_with]
    return "   ".join(filter(None, (" ".join(("ush", *map(typed, again))), next_step_text(error.next_step, home))))


def _tell_unforeseen(error: Exception, *, trace: bool) -> None:
    if trace:
        raise error
    from .log import write_log

    place = write_log(error)
    if _asked_for_json():
        text = f"internal error: {type(error).__name__}: {error}"
        _tell_as_json(CouldNot(text, where=str(place), next_step="run it again with --trace as the first option"))
        return
    click.echo(plain_text(f"ush: internal error: {type(error).__name__}: {error}"), err=True)
    click.echo(plain_text(f"Next: run it again with --trace as the first option; details: {place}"), err=True)
