"""Write the pages that are made from the program itself: concepts, states, commands and faults.

Usage: python docs/make_pages.py

A test compares the pages with this.
"""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import click

import unified_shell
from unified_shell.cli.main import NOUNS, ush
from unified_shell.cli.manual.help_text import examples_of
from unified_shell.cli.manual.option_groups import grouped
from unified_shell.cli.manual.topics import causes, topic_text, topics
from unified_shell.core import errors

DOCS = Path(__file__).parent
SOURCE = Path(unified_shell.__file__).parent
ERRORS = {
    name: one for name, one in vars(errors).items() if isinstance(one, type) and issubclass(one, errors.UshError)
}
ABOUT_FAULTS = (
    "What `ush verify` and `ush look` find has a cause with a name, which `ush help CAUSE` explains too. What a command says when "
    "it cannot go on is below, by its exit code; `…` stands for names."
)
# What else each topic is about, in which page.
NOT_CONCEPTS = ("states", "files", "scripts")


def concepts() -> str:
    """Return the page of concepts: the topics of `ush help`."""
    parts = ["# Concepts\n", "Each part is also a topic of `ush help`.\n"]
    for name, _ in topics():
        if name not in NOT_CONCEPTS:
            parts.append(_lowered(topic_text(name)))
    return "\n".join(parts)


def states() -> str:
    """Return the page of states."""
    return _lowered(topic_text("states")).replace("## ", "# ", 1)


def commands() -> str:
    """Return the page of all commands: what one does with each, an example, its options."""
    parts = ["# Commands\n", "Unique beginnings are enough: `ush env l`. Every command has `--help` and `--plain`.\n"]
    context = click.Context(ush, info_name="ush", **ush.context_settings)
    for _, noun, *_ in NOUNS:
        found = ush.get_command(context, noun)
        assert found is not None
        below = click.Context(found, context, info_name=noun)
        if not isinstance(found, click.Group):
            parts += [f"## {noun}\n", *_command(found, below)]
            continue
        parts += [f"## {noun}\n", f"{_flowing(found.help)}\n"]
        for verb in found.list_commands(below):
            one = found.get_command(below, verb)
            assert one is not None
            parts += [f"### {noun} {verb}\n", *_command(one, click.Context(one, below, info_name=verb))]
    return "\n".join(parts)


def _command(command: click.Command, context: click.Context) -> Iterator[str]:
    pieces = [one for one in command.collect_usage_pieces(context) if one != "[OPTIONS]"]
    yield f"`{' '.join([context.command_path, *pieces])}`\n"
    yield f"{_flowing(command.help)}\n"
    if lines := examples_of(context.command_path):
        yield "\n".join(["```text", *lines, "```\n"])
    options = [one for one in command.get_params(context) if isinstance(one, click.Option)]
    for title, held in grouped([one for one in options if "--plain" not in one.opts and "--help" not in one.opts]):
        yield f"{title}:\n"
        rows = [row for one in held if (row := one.get_help_record(context)) is not None]
        yield "\n".join(f"- `{option}`: {about}" for option, about in rows) + "\n"


def faults() -> str:
    """Return the page of faults: what checks find, by what is looked at, and what commands say, by their exit codes."""
    parts = [
        "# Faults\n",
        f"{ABOUT_FAULTS}\n",
    ]
    for subject in dict.fromkeys(one.subject for one in causes().values()):
        parts += [f"## {subject}\n", "| cause | what it means | what mends it |", "| --- | --- | --- |"]
        parts += [
            f"| `{one.name}` | {one.means} | {one.mends} |" for one in causes().values() if one.subject == subject
        ]
        parts.append("")
    by_code: dict[int, dict[str, str]] = {}
    for code, message, step in _messages():
        by_code.setdefault(code, {}).setdefault(message, step)
    titles = {
        2: "Wrong usage",
        3: "Refused",
        4: "Could not; nothing was changed",
        5: "Was changed and put back",
        6: "Begun",
    }
    for code in sorted(by_code):
        parts += [f"## Exit code {code}: {titles[code]}\n", "| message | what to type |", "| --- | --- |"]
        parts += [f"| {message} | {step} |" for message, step in sorted(by_code[code].items(), key=_by_letters)]
        parts.append("")
    return "\n".join(parts)


def _by_letters(row: tuple[str, str]) -> str:
    return re.sub(r"[^a-z]", "", row[0].lower())


def _messages() -> Iterator[tuple[int, str, str]]:
    """Yield the exit code, the message and the next step of each error that is raised anywhere."""
    for path in sorted(SOURCE.rglob("*.py")):
        for call in ast.walk(ast.parse(path.read_text())):
            name = call.func.id if isinstance(call, ast.Call) and isinstance(call.func, ast.Name) else ""
            if name not in ERRORS or name == "UshError" or not isinstance(call, ast.Call) or not call.args:
                continue
            code = ERRORS[name].exit_code
            if name == "UnknownName":
                yield code, f"no {_text(call.args[0])} is called so; a similar name is told", _step_of(call)
            elif len(message := _text(call.args[0])) > 3:
                yield code, message, _step_of(call)


def _step_of(call: ast.Call) -> str:
    found = [one.value for one in call.keywords if one.arg == "next_step"]
    return _step(found[0]) if found else ""


def _step(node: ast.expr) -> str:
    """Return a next step as far as it is written in the source."""
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("ush", "Command"):
        listed = [one.value.elts for one in node.keywords if one.arg == "words" and isinstance(one.value, ast.Tuple)]
        first = ["ush"] if node.func.id == "ush" else []
        words = [_text(one) or "…" for one in (listed[0] if listed else node.args)]
        why = next((_text(one.value) for one in node.keywords if one.arg == "why"), "")
        return f"`{' '.join([*first, *words])}`" + (f" ({why})" if why and listed else "")
    if isinstance(node, ast.Tuple):
        return " ".join(filter(None, map(_step, node.elts)))
    if isinstance(node, ast.IfExp):
        return " or ".join(dict.fromkeys(filter(None, (_step(node.body), _step(node.orelse)))))
    return _text(node)


def _text(node: ast.expr) -> str:
    """Return a text of the source; `…` for what is put in when it is told."""
    if isinstance(node, ast.Constant):
        text = str(node.value) if isinstance(node.value, str) else ""
    elif isinstance(node, ast.JoinedStr):
        text = "".join(one.value if isinstance(one, ast.Constant) else "…" for one in node.values)  # type: ignore[misc]
    elif isinstance(node, ast.BinOp):
        text = _text(node.left) + _text(node.right)
    elif isinstance(node, ast.IfExp):
        text = " / ".join(filter(None, (_text(node.body), _text(node.orelse))))
    elif isinstance(node, ast.Starred):
        text = "…"
    else:
        text = "…" if isinstance(node, ast.Name | ast.Attribute | ast.Call | ast.Subscript) else ""
    return re.sub(r"…+", "…", text).replace("\n", " ").replace("|", r"\|").replace("<", "&lt;").strip()


def _lowered(text: str) -> str:
    """Return a topic one level lower, its typed lines as a block."""
    text = re.sub(r"(?m)^# ", "## ", text)
    return re.sub(
        r"(?m)(^    .*\n?)+",
        lambda found: "```text\n" + re.sub(r"(?m)^    ", "", found[0]).rstrip() + "\n```\n",
        text,
    )


def _flowing(text: str | None) -> str:
    return "\n\n".join(" ".join(part.split()) for part in (text or "").strip().split("\n\n"))


PAGES = {
    "concepts.md": concepts,
    "faults.md": faults,
    "reference/commands.md": commands,
    "reference/states.md": states,
}

if __name__ == "__main__":
    for place, page in PAGES.items():
        (DOCS / place).write_text(page(), encoding="utf-8")
