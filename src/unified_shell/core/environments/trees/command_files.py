"""The files by which a distribution's commands are started: one script, or on Windows a launcher and its script."""

from pathlib import Path
from typing import NamedTuple

from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.environments.model.layout import Layout

from .launchers import PYTHON_LINE, launcher_text, with_first_line

__all__ = ["CommandFile", "command_files", "script_files"]

LAUNCHERS = Path(__file__).parent / "windows"
# Of a wheel's own scripts for Python, what a name ends with that is no part of the command.
PYTHON_ENDINGS = (".py", ".pyw")


class CommandFile(NamedTuple):
    """A file relative to the prefix; all are executable."""

    path: str
    content: bytes


def command_files(entry: EntryPoint, layout: Layout) -> tuple[CommandFile, ...]:
    """Return the files of an entry point's command."""
    text = launcher_text(entry, layout.python).encode("utf-8", "surrogateescape")
    if not layout.is_windows:
        return (CommandFile(path=f"{layout.scripts_name}/{entry.name}", content=text),)
    return _launched(entry.name, text, layout, has_window=entry.group == "gui_scripts")


def script_files(target: str, script: bytes, layout: Layout) -> tuple[CommandFile, ...]:
    """Return the files of a script that a wheel brings for `target`: with the environment's own first line, and on Windows a
    launcher where it is Python's.
    """
    own = with_first_line(script, layout.python)
    if not layout.is_windows or PYTHON_LINE.match(script) is None:
        return (CommandFile(path=target, content=own),)
    name = target.removeprefix(f"{layout.scripts_name}/")
    for ending in PYTHON_ENDINGS:
        name = name.removesuffix(ending)
    return _launched(name, own, layout, has_window=script.startswith(b"#!pythonw"))


def _launched(name: str, script: bytes, layout: Layout, *, has_window: bool) -> tuple[CommandFile, ...]:
    kind = "windows" if has_window else "console"
    launcher = (LAUNCHERS / f"x86_64-{kind}.exe").read_bytes()
    return (
        CommandFile(path=f"{layout.scripts_name}/{name}.exe", content=launcher),
        CommandFile(path=f"{layout.scripts_name}/{name}-script.py", content=script),
    )
