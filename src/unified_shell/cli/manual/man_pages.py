"""The manual pages, made from the parser, the examples and the topics: `ush(1)`, and one for each noun, as `ush-path(1)`.

The form is that of man(7).
"""

import re
from collections.abc import Iterator, Sequence

import click

from .help_text import examples_of, first_sentence
from .option_groups import grouped
from .topics import topic_text, topics

__all__ = ["man_pages"]

EXIT_CODES = (
    ("0", "done, nothing at fault"),
    ("1", "something is at fault, absent, or differs"),
    ("2", "wrong usage"),
    ("3", "refused: protected, or consent is missing"),
    ("4", "could not: network, disk, permission, build; nothing changed"),
    ("5", "was changed and put back"),
    ("6", "begun and not finished; the next change finishes it"),
    ("130", "interrupted; its line says whether a change stands"),
)


def man_pages(top: click.Group, version: str) -> dict[str, str]:
    """Return the pages by their files' names."""
    context = click.Context(top, info_name="ush", **top.context_settings)
    nouns = [(name, found) for name in top.list_commands(context) if (found := top.get_command(context, name))]
    pages = {"ush.1": _top_page(top, nouns, version)}
    for name, command in nouns:
        pages[f"ush-{name}.1"] = _noun_page(name, command, context, version)
    return pages


def _top_page(top: click.Group, nouns: Sequence[tuple[str, click.Command]], version: str) -> str:
    lines = [_title("ush", version), *_name("ush", first_sentence(top))]
    lines += [".SH SYNOPSIS", r".B ush", r"[\fINOUN\fR [\fIVERB\fR]] [\fIOPTION\fR]..."]
    lines += [".SH DESCRIPTION", *_paragraphs(top.help or "")]
    lines.append(".SH NOUNS")
    for name, command in nouns:
        lines += [".TP", rf".BR ush\-{_plain(name)} (1)", _plain(first_sentence(command))]
    for name, title in topics():
        lines += [f'.SH "{_quoted(title.upper())}"', *_topic(topic_text(name))]
    return "\n".join([*lines, *_exit_codes()]) + "\n"


def _noun_page(name: str, command: click.Command, above: click.Context, version: str) -> str:
    called = f"ush-{name}"
    lines = [_title(called, version), *_name(called, first_sentence(command))]
    if isinstance(command, click.Group):
        context = click.Context(command, above, info_name=name)
        below = [
            (verb, one) for verb in command.list_commands(context) if (one := command.get_command(context, verb))
        ]
        lines.append(".SH SYNOPSIS")
        for number, (verb, one) in enumerate(below):
            lines += [*([".br"] if number else []), *_synopsis(f"ush {name} {verb}", one, context)]
        lines += [".SH DESCRIPTION", *_paragraphs(command.help or ""), ".SH COMMANDS"]
        for verb, one in below:
            lines += [f'.SS "ush {name} {verb}"', *_described(one, context, verb)]
    else:
        lines += [".SH SYNOPSIS", *_synopsis(f"ush {name}", command, above), ".SH DESCRIPTION"]
        lines += _described(command, above, name)
    lines += [*_exit_codes(), ".SH SEE ALSO", ".BR ush (1)"]
    return "\n".join(lines) + "\n"


def _synopsis(called: str, command: click.Command, above: click.Context) -> list[str]:
    pieces = command.collect_usage_pieces(click.Context(command, above))
    return [rf"\fB{_plain(called)}\fR {_plain(' '.join(pieces))}"]


def _described(command: click.Command, above: click.Context, name: str) -> Iterator[str]:
    context = click.Context(command, above, info_name=name)
    yield from _paragraphs(command.help or "")
    lines = examples_of(context.command_path)
    if lines:
        yield from (".PP", "Example:" if len(lines) == 1 else "Examples:", ".PP", ".nf", ".RS")
        yield from (_plain(line) for line in lines)
        yield from (".RE", ".fi")
    options = [one for one in command.get_params(context) if isinstance(one, click.Option)]
    for title, held in grouped(options):
        rows = [row for one in held if (row := one.get_help_record(context)) is not None]
        yield from (".PP", f"{title}:")
        for option, about in rows:
            yield from (".TP", rf"\fB{_plain(option)}\fR", _plain(about))


def _topic(text: str) -> Iterator[str]:
    """Write a topic: paragraphs, points, and what is typed, set apart."""
    for part in text.strip().split("\n\n")[1:]:
        if part.startswith("    "):
            yield from (".PP", ".nf", ".RS")
            yield from (_plain(line.strip()) for line in part.splitlines())
            yield from (".RE", ".fi")
        elif part.startswith("- "):
            for point in re.split(r"(?m)^- ", part)[1:]:
                yield from (r".IP \(bu 2", _plain(" ".join(point.split())))
        else:
            yield from (".PP", _plain(" ".join(part.split())))


def _paragraphs(text: str) -> Iterator[str]:
    for part in text.strip().split("\n\n"):
        yield from (".PP", _plain(" ".join(part.split())))


def _exit_codes() -> Iterator[str]:
    yield ".SH EXIT STATUS"
    for code, meaning in EXIT_CODES:
        yield from (".TP", code, meaning)


def _title(name: str, version: str) -> str:
    return f'.TH "{_quoted(name.upper())}" 1 "" "Unified Shell {version}" "Unified Shell"'


def _name(name: str, about: str) -> list[str]:
    about = about.rstrip(".")
    return [".SH NAME", rf"{_plain(name)} \- {_plain(about[:1].lower() + about[1:])}"]


def _plain(text: str) -> str:
    """Return text of which nothing is a request: backslashes and leading dots are escaped, marks of emphasis taken out."""
    text = text.replace("**", "").replace("\\", r"\e").replace("-", r"\-").replace("'", r"\(aq").replace("`", "")
    # By their numbers, other letters are understood whatever the encoding.
    text = "".join(letter if letter.isascii() else rf"\[u{ord(letter):04X}]" for letter in text)
    return rf"\&{text}" if text.startswith((".", "'")) else text


def _quoted(text: str) -> str:
    return _plain(text).replace('"', r"\(dq")
