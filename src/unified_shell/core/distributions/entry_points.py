"""Entry points of a distribution. Source: the Entry points specification."""

import re

from msgspec import Struct

from unified_shell.core.errors import WheelBroken

__all__ = ["EntryPoint", "parse_entry_points"]

REFERENCE = re.compile(r"^\s*([A-Za-z_][\w.]*)\s*(?::\s*([A-Za-z_][\w.]*)\s*)?(?:\[.*\])?\s*$")
# A command's name becomes a file's name: no folder, nothing hidden, nothing a terminal would act on.
COMMAND_NAME = re.compile(r"^[^\s./\\\x00-\x1f\x7f-][^/\\\x00-\x1f\x7f]*$")


class EntryPoint(Struct, frozen=True, kw_only=True):
    """A name and the object it stands for, in a module."""

    group: str
    name: str
    module: str
    attribute: str


def parse_entry_points(content: bytes, where: str) -> tuple[EntryPoint, ...]:
    """Return the console and GUI scripts; raises WheelBroken for one that cannot be made a command."""
    import configparser

    parser = configparser.ConfigParser(delimiters=("=",), interpolation=None, strict=False)
    parser.optionxform = str  # type: ignore[assignment, method-assign]  # names keep their case
    try:
        parser.read_string(content.decode("utf-8"))
    except (UnicodeDecodeError, configparser.Error) as error:
        raise WheelBroken(f"its entry points cannot be read: {str(error).splitlines()[0]}", where=where) from error
    found = []
    for group in ("console_scripts", "gui_scripts"):
        for name, reference in parser.items(group) if parser.has_section(group) else ():
            match = REFERENCE.match(reference)
            if match is None or not match[2]:
                raise WheelBroken(f"its command {name!r} does not name a function: {reference!r}", where=where)
            if not COMMAND_NAME.match(name):
                raise WheelBroken(f"its command {name!r} cannot be a file's name", where=where)
            found.append(EntryPoint(group=group, name=name, module=match[1], attribute=match[2]))
    return tuple(found)
