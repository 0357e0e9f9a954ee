"""Types the lines of documents and help as a person would, in the folder of the sample files, and answers yes."""

import contextlib
import shlex
from collections.abc import Iterator
from pathlib import Path

import click

from unified_shell.cli.main import ush

from .account import USH, Account, Result

# What waits for a person, opens a session, serves until it is ended, or takes long.
ONLY_READ = ("environment enter", "index serve", "interpreter pack")
# What is planned only: a build takes minutes.
ONLY_PLANNED = ("interpreter get python",)


def command_of(words: list[str]) -> tuple[click.Command, int]:
    """Return the command that words after `ush` name, and how many of them name it."""
    found: click.Command = ush
    context, used = click.Context(ush, info_name="ush"), 0
    while isinstance(found, click.Group) and used < len(words):
        below = found.get_command(context, words[used])
        assert below is not None, words
        context, found, used = click.Context(below, context, info_name=words[used]), below, used + 1
    return found, used


def typed_line(line: str) -> str:
    """Return a line of ours as it is typed in a test: with the yes that a person gives, or with `--plan`."""
    words = shlex.split(line, comments=True)[1:]
    command, used = command_of(words)
    names = {option for one in command.params for option in one.opts}
    more = "--plan" if " ".join(words).startswith(ONLY_PLANNED) else "--yes"
    if words[0] == "verify" and "--mend" not in words:
        return line
    if more not in names or {"--yes", "--plan", "-y"} & set(words):
        return line
    head = " ".join(["ush", *words[:used]])
    assert line.startswith(head), line
    return f"{head} {more}{line[len(head) :]}"


def lines_of(text: str) -> Iterator[str]:
    """Yield the lines of a block, those that end with a backslash with the one that follows."""
    yield from (line for line in text.replace("\\\n", " ").splitlines() if line.strip() and not line.startswith("#"))


def type_line(account: Account, line: str) -> Result:
    """Type one line; one of ours alone is run without a shell, any other in bash with the installed `ush`."""
    line = line.partition("  # ")[0].rstrip() if "  # " in line else line
    if line.startswith("ush ") and (line == "ush demo" or line.removeprefix("ush ").startswith(ONLY_READ)):
        words = shlex.split(line, comments=True)[1:]
        command, used = command_of(words)
        with contextlib.chdir(account.folder or account.home):
            command.make_context("ush", words[used:])
        return Result(0, "", "")
    typed = typed_line(line) if line.startswith("ush ") else line
    if typed.startswith("ush ") and not set(typed) & set("|&;<>$`(*"):
        words = shlex.split(typed, comments=True)[1:]
        return account.ush(
            *(one.replace("~", str(account.home), 1) if one[:1] == "~" else one for one in words), code=None
        )
    path = f"{Path(USH).parent}:{account.variables['PATH']}"
    # A new session, as a person's would be: what was wired holds.
    return account.run(["/bin/bash", "-i", "-c", typed], more={"PATH": path})
