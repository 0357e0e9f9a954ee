"""`ush help`: the topics, the causes of faults, and the help of any command."""

import re
import textwrap

import click

from .context import Context, pass_context
from .manual.help_text import help_width
from .manual.topics import causes, topic_text, topics
from .parsing.abbreviations import ListCommand

__all__ = ["help_"]


@click.command("help", cls=ListCommand)
@click.argument("topic", nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="Print the topics, or the one that is named, as JSON.")
@pass_context
def help_(context: Context, topic: tuple[str, ...], *, as_json: bool) -> None:
    """Explain TOPIC: how environments, search paths, shells and so on work here, what the cause of a fault means, or a
    command.

    Without TOPIC, list the topics.
    """
    if as_json:
        _print_as_json(context, "-".join(topic).lower())
        return
    if not topic:
        _list_topics(context)
        return
    name = "-".join(topic).lower()
    names = [one for one, _ in topics()]
    near = [one for one in names if one == name] or [one for one in names if one.startswith(name.rstrip("s"))]
    if len(near) == 1:
        context.screen.result(_wrapped(topic_text(near[0])))
    elif name in causes():
        found = causes()[name]
        context.screen.result(f"{name}: {found.subject.lower()}\n{_filled(found.means)}\n{_filled(found.mends)}")
    else:
        _command_help(topic)


def _print_as_json(context: Context, wanted: str) -> None:
    """Print the topics and causes, with their texts; only the one that is named, if one is."""
    from unified_shell.views.json_view import json_text

    texts = {name: topic_text(name) for name, _ in topics()}
    texts |= {one.name: f"{one.means}\n{one.mends}" for one in causes().values()}
    rows = [{"name": name, "text": text} for name, text in texts.items() if wanted in ("", name)]
    context.screen.result(json_text("topics", rows))


def _list_topics(context: Context) -> None:
    from unified_shell.core.next_steps import ush
    from unified_shell.views.terminal.tables import print_table

    print_table(context.screen, ("topic", "what it explains"), topics())
    context.screen.next(ush("help", "choosing"))


def _command_help(words: tuple[str, ...]) -> None:
    """Write the help of a noun or verb; raises UnknownName for any other word."""
    from unified_shell.core.errors import UnknownName
    from unified_shell.core.next_steps import ush as command

    from .main import ush

    found: click.Command = ush
    ctx = click.Context(ush, info_name="ush", **ush.context_settings)
    rest = list(words)
    while rest and isinstance(found, click.Group):
        known = found.list_commands(ctx)
        if rest[0] not in known and not [one for one in known if one.startswith(rest[0])]:
            everything = [*(one for one, _ in topics()), *known, *causes()]
            raise UnknownName("help topic", " ".join(words), everything, next_step=command("help"))
        name, below, rest = found.resolve_command(ctx, rest)
        assert below is not None
        ctx = below.context_class(below, ctx, info_name=name)
        found = below
    click.echo(found.get_help(ctx))


def _wrapped(text: str) -> str:
    """Return a topic as wide as the terminal: paragraphs and points are filled, indented lines stay as they are."""
    parts = text.strip().split("\n\n")
    return "\n\n".join(part if part.startswith("    ") else "\n".join(map(_filled, _points(part))) for part in parts)


def _points(part: str) -> list[str]:
    """Return the points of a list, each on one line, or the paragraph on one."""
    points: list[str] = []
    for line in part.splitlines():
        if line.startswith("- ") or not points:
            points.append(line.removeprefix("# ") if not points else line)
        else:
            points[-1] += f" {line.strip()}"
    return points


def _filled(text: str) -> str:
    plain = text.replace("**", "")
    hanging = "  " if plain.startswith("- ") else ""
    # What is typed stays on one line.
    held = re.sub(r"`[^`]+`", lambda found: found[0].replace(" ", "\0"), plain)
    filled = textwrap.fill(
        held, help_width(), subsequent_indent=hanging, break_long_words=False, break_on_hyphens=False
    )
    return filled.replace("\0", " ")
