"""Reading what a traced shell wrote: records of file, line, PATH and command, in order."""

import re
import shlex

from msgspec import Struct

__all__ = ["Record", "parse_csh", "parse_fish", "parse_prefixed"]

FISH_PLACE = re.compile(r"(?:called on|from|on) line (\d+) of file (.*)$", re.MULTILINE)


class Record(Struct, frozen=True, kw_only=True):
    """One traced command. `exact`: PATH is shown as this very command left it."""

    file: str
    line: int
    path: str
    command: str
    exact: bool = False


def parse_prefixed(text: str) -> list[Record]:
    r"""Return the records of a trace whose prefix is `\1PID\2SUBSHELL\2FILE\2LINE\2PATH\3`,
    with three fields more for the stack where the shell tells it.

    Records of other processes than the first one's, and of subshells, are left out.
    """
    found: list[Record] = []
    first = ""
    for chunk in re.split("\x01+", text)[1:]:
        head, end, command = chunk.partition("\x03")
        fields = head.split("\x02")
        if not end or len(fields) not in (5, 8):
            continue
        process, subshell, file, line, path = fields[:5]
        first = first or process
        if process != first or subshell not in ("", "0"):
            continue
        number = line.split(" ")[0]
        at = (file, int(number) if number.isdigit() else 0)
        file, known = _call(fields[5:], at) if len(fields) == 8 else at
        found.append(Record(file=file, line=known, path=path, command=command.rstrip("\n")))
    return found


def _call(stack: list[str], at: tuple[str, int]) -> tuple[str, int]:
    """Return the place in a startup file that a command belongs to: within a function, where that was called.

    The stack is bash's (names, lines, files quoted for a shell) or zsh's (contexts, call sites a line each, nothing).
    """
    names, lines, files = stack
    if not files:
        return _call_of_zsh(names.split(), lines.splitlines(), at)
    functions = names.split()
    depth = functions.index("source") if "source" in functions else 0
    try:
        sources = shlex.split(files)
        return (sources[depth], int(lines.split()[depth - 1])) if depth else at
    except (ValueError, IndexError):
        return at


def _call_of_zsh(contexts: list[str], sites: list[str], at: tuple[str, int]) -> tuple[str, int]:
    if contexts and contexts[-1] == "evalcode" and at[1] > 1:
        # It counts on from the line of the eval.
        return at[0], at[1] - 1
    functions = 0
    for context in reversed(contexts):
        if context == "shfunc":
            functions += 1
        elif context != "evalcode":
            break
    if not functions or functions > len(sites):
        return at
    file, _, line = sites[functions - 1].rpartition(":")
    return (file, int(line)) if line.isdigit() else at


def parse_fish(text: str) -> list[Record]:
    """Return the records of fish's watch on PATH; the outermost place of each stack is what did it."""
    found = []
    for chunk in text.split("\x01CHANGE\x02")[1:]:
        path, _, stack = chunk.partition("\x03")
        places = FISH_PLACE.findall(stack)
        line, file = places[-1] if places else ("0", "")
        found.append(Record(file=file.strip(), line=int(line), path=path, command="", exact=True))
    return found


def parse_csh(text: str, variable: str = "PATH") -> list[Record]:
    """Return the records of tcsh's echo: no line numbers, but which file each assignment stands in."""
    found: list[Record] = []
    files: list[str] = [""]
    for line in text.splitlines():
        words = line.strip()
        if words.startswith("source "):
            files.append(words.removeprefix("source ").strip())
        elif words.startswith(": @END") and len(files) > 1:
            files.pop()
        elif variable == "PATH" and words.startswith(("set path = (", "set path=(")):
            inside = words[words.index("(") + 1 : words.rindex(")")] if ")" in words else ""
            found.append(Record(file=files[-1], line=0, path=":".join(inside.split()), command=words, exact=True))
        elif words.startswith(f"setenv {variable} "):
            path = words.removeprefix(f"setenv {variable} ").strip()
            found.append(Record(file=files[-1], line=0, path=path, command=words, exact=True))
    return found
