"""What `ush` suggests is tried against its own command line: nouns, verbs, options and the number of words."""

import re
import shlex
from collections.abc import Iterator

import click

from unified_shell.cli.main import ush

# Where a line of output suggests what to type: behind a label, or in a sentence.
LABELLED = re.compile(r"^ *(?:Next|type|Undo|Redo|There|[A-Z][a-z]+(?: \w+)*): +(?:sudo )?(ush .*)")
IN_A_SENTENCE = re.compile(rf"(?:   |\()(?:sudo )?(ush (?:{'|'.join(ush.list_commands(click.Context(ush)))})\b.*)")
GLUE = re.compile(r"   | or +(?=ush )| then +(?=ush )")


def suggestions(text: str) -> Iterator[list[str]]:
    """Yield the words of each command line of ours that an output suggests, without `ush`."""
    for line in text.splitlines():
        found = LABELLED.search(line) or IN_A_SENTENCE.search(line)
        if found is None or "…" in line or line.lstrip().startswith(("Plan: ", "Usage: ", '"')):
            continue
        for part in GLUE.split(found[1]):
            # A remark follows in brackets.
            typed = part.strip() if "(" in part else part.strip().rstrip(".").removesuffix(")")
            if typed.startswith("ush "):
                yield shlex.split(typed)[1:]


def check(text: str) -> None:
    """Fail where an output suggests a noun, verb or option that is not there, or too few or too many words."""
    for words in suggestions(text):
        if trouble := trouble_of(words):
            raise AssertionError(f"ush suggests: {' '.join(['ush', *words])}: {trouble}\n{text}")


def trouble_of(words: list[str]) -> str:
    """Return why the real parser does not take these words after `ush`; empty where it does."""
    command: click.Command = ush
    context = click.Context(ush, info_name="ush")
    rest = list(words)
    while isinstance(command, click.Group) and rest and not rest[0].startswith("-"):
        name = rest.pop(0)
        found = command.get_command(context, name)
        if found is None:
            return f"there is no {name!r}"
        command, context = found, click.Context(found, context, info_name=name)
    if isinstance(command, click.Group) or rest == ["--help"]:
        return ""
    try:
        # Files that the words stand for need not be there, and nothing is run.
        command.make_context(command.name, rest, parent=context.parent)
    except click.exceptions.Exit:
        return ""
    except click.BadParameter as error:
        # A word in capitals stands for what only the person knows; a file of that name need not be there.
        stands_in = any(word.isupper() for word in words) and not isinstance(error, click.MissingParameter)
        is_place = error.param is not None and isinstance(error.param.type, click.Path)
        return "" if stands_in or is_place else error.format_message()
    except click.UsageError as error:
        return error.format_message()
    return ""


def step_text(step: object) -> str:
    """Return a next step of a JSON document as one line."""
    if isinstance(step, dict):
        return shlex.join(step["words"]) + (f"   ({step['why']})" if step["why"] else "")
    return "   ".join(map(step_text, step)) if isinstance(step, list) else str(step)
