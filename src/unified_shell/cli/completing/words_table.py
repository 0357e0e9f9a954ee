"""The table of all words of the command line, made from the parser once and kept beside this file: `words.json`.

`docs/make_completion.py` writes it; a test compares it with the parser.
"""

from collections.abc import Iterator
from typing import Any

import click

from unified_shell.cli.main import NOUNS, ush
from unified_shell.cli.manual.help_text import first_sentence

__all__ = ["words_table"]

# What a word stands for, by command and parameter; names of a kind, or `files` and `folders` of the file system.
ARGUMENTS = {
    "catalog add address": "folders",
    "index add address": "folders",
    "command drop name": "commands",
    "command prefer candidate": "files",
    "command prefer name": "commands",
    "command refresh name": "commands",
    "environment adopt folder": "folders",
    "environment copy name": "text",
    "environment copy source": "environments",
    "environment run name": "environments",
    "environment run command": "programs",
    "index copy folder": "folders",
    "index serve folder": "folders",
    "help topic": "topics",
    "interpreter adopt path": "files",
    "interpreter drop name": "interpreters",
    "interpreter get what": "languages",
    "interpreter pack which": "interpreters",
    "look names": "environments",
    "outfit new starter": "starters",
    "package drop names": "packages",
    "package refresh names": "packages",
    "package why wanted": "packages",
    "path add directory": "folders",
    "path drop directory": "folders",
    "shell unwire names": "shells",
    "shell wire names": "shells",
    "suite adopt folder": "folders",
    "suite get what": "offers",
    "suite refresh what": "suites",
    "suite try name": "suites",
    "suite show name": "suites",
    "suite drop name": "suites",
    "undo number": "changes",
    "variable drop name": "variables",
    "verify names": "environments",
    "catalog show name": "catalogs",
    "catalog drop name": "catalogs",
    "index drop name": "indexes",
}
OPTIONS = {
    "--environment": "environments",
    "--from": "indexes",
    "--without-index": "indexes",
    "--before": "folders",
    "--interpreter": "interpreters",
    "--language": "languages",
    "--shell": "shells",
    "--variable": "search-paths",
    "--into": "files",
}
FILES = ("FILE", "ARCHIVE", "SAMPLE")
FOLDERS = ("DIR", "FOLDER")


def words_table() -> dict[str, Any]:
    """Return nouns and verbs with what they are about, and for each command its options and what its words stand for."""
    groups: dict[str, dict[str, str]] = {"": {noun: about for _, noun, _, about in NOUNS}}
    commands: dict[str, Any] = {}
    for path, command in _walk(ush, ()):
        if isinstance(command, click.Group):
            context = click.Context(command)
            below = {name: command.get_command(context, name) for name in command.list_commands(context)}
            groups[" ".join(path)] = {name: first_sentence(one) for name, one in below.items() if one is not None}
        else:
            commands[" ".join(path)] = _command(" ".join(path), command)
    return {"groups": groups, "commands": commands}


def _walk(group: click.Group, above: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], click.Command]]:
    context = click.Context(group)
    for name in group.list_commands(context):
        found = group.get_command(context, name)
        if found is None:
            continue
        yield (*above, name), found
        if isinstance(found, click.Group):
            yield from _walk(found, (*above, name))


def _command(path: str, command: click.Command) -> dict[str, Any]:
    options, words, endless = {}, [], False
    for one in command.get_params(click.Context(command)):
        if isinstance(one, click.Option):
            about = (one.help or "").split(". ")[0].rstrip(".")
            kind = "" if one.is_flag or one.count else _of_option(path, one)
            for name in (*one.opts, *one.secondary_opts):
                # The short name for help is that of whichever context asked first: its long one is enough.
                if name != "-h":
                    options[name] = [about, kind]
        else:
            words.append(_of_argument(path, one))
            endless = endless or one.nargs == -1
    return {"options": options, "words": words, "endless": endless}


def _of_option(path: str, option: click.Option) -> str:
    if isinstance(option.type, click.Choice):
        return "=" + ",".join(map(str, option.type.choices))
    if path.startswith("environment offer") and "--application" in option.opts:
        return "programs"
    known = next((OPTIONS[name] for name in option.opts if name in OPTIONS), "")
    if known and not (path.startswith("outfit") and known == "indexes"):
        return known
    return _of_metavar(option.metavar or "", option.type) or "text"


def _of_argument(path: str, argument: click.Parameter) -> str:
    known = ARGUMENTS.get(f"{path} {argument.name}", "")
    if not known and path.startswith("environment ") and argument.name == "name" and path != "environment new":
        return "environments"
    return known or _of_metavar((argument.name or "").upper(), argument.type) or "text"


def _of_metavar(metavar: str, kind: object) -> str:
    if isinstance(kind, click.Path):
        return "folders" if kind.dir_okay and not kind.file_okay else "files"
    return "files" if metavar in FILES else "folders" if metavar in FOLDERS else ""
