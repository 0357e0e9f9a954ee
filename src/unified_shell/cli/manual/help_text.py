"""What `--help` writes: what one does with a command, an example, then its options by groups."""

import re
import shutil
import tomllib
from functools import cache
from pathlib import Path

import click

from .option_groups import grouped

__all__ = [
    "examples",
    "examples_of",
    "first_sentence",
    "help_width",
    "write_examples",
    "write_options",
    "write_verbs",
]

# Longer lines of prose are hard to read, however wide the terminal is.
WIDEST = 110
REMARK = "  # "


def help_width() -> int:
    """Return how wide help is written, in characters: as the terminal is, and 80 where there is none."""
    return min(shutil.get_terminal_size((80, 24)).columns, WIDEST)


@cache
def examples() -> dict[str, tuple[str, ...]]:
    """Return what help shows to be typed, by noun and verb, in the order of one story."""
    text = Path(__file__).with_name("examples.toml").read_text(encoding="utf-8")
    return {name: tuple(lines) for name, lines in tomllib.loads(text).items()}


def examples_of(command_path: str) -> tuple[str, ...]:
    """Return the examples of a command that is named as on the command line."""
    return examples().get(command_path.partition(" ")[2], ())


def first_sentence(command: click.Command) -> str:
    """Return the first sentence of a command's help, on one line."""
    text = " ".join((command.help or "").partition("\n\n")[0].split())
    return re.split(r"(?<=\.) (?=[A-Z`])|: (?=[A-Z`]|ush )", text)[0].rstrip(".:") + "."


def write_examples(ctx: click.Context, formatter: click.HelpFormatter) -> None:
    """Write the examples of a command; nothing where it has none."""
    lines = examples_of(ctx.command_path)
    if not lines:
        return
    with formatter.section("Example" if len(lines) == 1 else "Examples"):
        for line in lines:
            typed, _, remark = line.partition(REMARK)
            room = formatter.width - formatter.current_indent
            short = f"{typed}{REMARK}{remark}" if remark else typed
            formatter.write(f"{'':{formatter.current_indent}}{short if len(short) <= room else typed}\n")


def write_options(command: click.Command, ctx: click.Context, formatter: click.HelpFormatter) -> None:
    """Write the options of a command by groups."""
    options = [one for one in command.get_params(ctx) if isinstance(one, click.Option)]
    for title, held in grouped(options):
        rows = [row for one in held if (row := one.get_help_record(ctx)) is not None]
        if rows:
            with formatter.section(title):
                formatter.write_dl(rows)


def write_verbs(group: click.Group, ctx: click.Context, formatter: click.HelpFormatter) -> None:
    """Write the verbs of a noun, each with its whole first sentence."""
    rows = []
    for name in group.list_commands(ctx):
        found = group.get_command(ctx, name)
        if found is not None and not found.hidden:
            rows.append((name, first_sentence(found)))
    with formatter.section("Commands"):
        formatter.write_dl(rows)
