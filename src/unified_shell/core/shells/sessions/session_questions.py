"""The lines that a new session is told to read, and the files that it answers in."""

import os
from collections.abc import Callable, Sequence

from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.descendants import MARK
from unified_shell.core.machine.processes.variables_as_given import has_proc, parse_variables, writing_words
from unified_shell.core.shells.dialects.dialect import Dialect

__all__ = ["Questions"]

# Its own parent is the shell that read the lines. Absolute programs pass by aliases, functions and a broken PATH; that the
# answer is whole is told by another file. What comes next at the prompt, such as the writing of a history, is not waited
# for by us: so it is held up until the session is ended, and the shell's program can be asked for by its number till then.
# Whoever began it may first search a disk, or ask interpreters; no such work takes as long.
DUMP = """[ ! -t 0 ] || echo $PPID > "$1.number"
[ -t 0 ] || /bin/readlink /proc/$PPID/exe > "$1.shell"
/bin/cp /proc/$$/environ "$1" && : > "$1.whole"
[ ! -t 0 ] || exec /bin/sleep 60
"""
# Without `/proc` the session itself starts what writes its variables: a shell between would change some. Of the shell that
# read the lines only its name is told.
SHOW = """/bin/ps -o comm= -p $PPID > "$1.shell"
: > "$1.whole"
[ ! -t 0 ] || exec /bin/sleep 60
"""


class Questions:
    """What a session is asked, in a folder of its own; `ask` is given the name of a file for what its lines answer.

    Of each of `names` it is asked besides what the session takes it for.
    """

    def __init__(self, folder: str, dialect: Dialect, ask: Callable[[str], str], names: Sequence[str] = ()) -> None:
        self._environment = join(folder, "environment")
        self._answer = join(folder, "answer")
        script, dump = join(folder, "ask"), join(folder, "dump")
        self._meanings = {name: join(folder, f"meaning-{number}") for number, name in enumerate(names)}
        asked = [dialect.meaning_question(name, file) for name, file in self._meanings.items()]
        lines = "\n".join(filter(None, (ask(self._answer), *asked)))
        with open(dump, "w", encoding="ascii") as file:
            file.write(DUMP if has_proc() else SHOW)
        with open(script, "w", encoding="utf-8", errors="surrogateescape") as file:
            if lines:
                file.write(f"{lines}\n")
            if not has_proc():
                words = (*map(dialect.quote, writing_words()), dialect.quote(self._environment))
                file.write(f"{' '.join(words)}\n")
            file.write(f"/bin/sh {dialect.quote(dump)} {dialect.quote(self._environment)}\n")
        self.command = dialect.source_line(script)

    def is_answered(self) -> bool:
        """Tell whether the session read the lines."""
        return os.path.exists(f"{self._environment}.whole")

    def variables(self) -> tuple[tuple[str, str], ...]:
        """Return the session's variables as a program that it starts sees them."""
        with open(self._environment, "rb") as file:
            pairs = parse_variables(file.read())
        return tuple((name, value) for name, value in pairs if name != MARK)

    def answer_text(self) -> str:
        """Return what the lines wrote."""
        return _content(self._answer)

    def meanings(self) -> tuple[tuple[str, str], ...]:
        """Return what the session takes each of the names for, in its own words."""
        return tuple((name, _content(file)) for name, file in self._meanings.items())

    def answered_by(self) -> str:
        """Return the path of the shell that read the lines; ask before the session is ended."""
        number = _content(f"{self._environment}.number").strip()
        try:
            # A login shell has a dash before its name; one that a path names is that.
            told = os.readlink(f"/proc/{number}/exe") if number else _content(f"{self._environment}.shell")
        except OSError:
            return ""
        return told.strip().removeprefix("-")


def _content(path: str) -> str:
    if not os.path.exists(path):
        return ""
    with open(path, encoding="utf-8", errors="surrogateescape") as file:
        return file.read()
