"""Reading what a traced shell wrote: records of file, line, PATH and command, in order."""

import re
from dataclasses import dataclass

__all__ = ["Record", "parse_csh", "parse_fish", "parse_prefixed"]

FISH_PLACE = re.compile(r"(?:called on|from|on) line (\d+) of file (.*)$", re.MULTILINE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """One traced command. `exact`: PATH is shown as this very command left it."""

    file: str
    line: int
    path: str
    command: str
    exact: bool = False


def parse_prefixed(text: str) -> list[Record]:
    r"""Return the records of a trace whose prefix is `\1PID\2SUBSHELL\2FILE\2LINE\2PATH\3`.

    Records of other processes than the first one's, and of subshells, are left out.
    """
    found: list[Record] = []
    first = ""
    for chunk in re.split("\x01+", text)[1:]:
        head, end, command = chunk.partition("\x03")
        fields = head.split("\x02")
        if not end or len(fields) != 5:
            continue
        process, subshell, file, line, path = fields
        first = first or process
        if process != first or subshell not in ("", "0"):
            continue
        number = line.split(" ")[0]
        found.append(
            Record(file=file, line=int(number) if number.isdigit() else 0, path=path, command=command.rstrip("\n"))
        )
    return found


def parse_fish(text: str) -> list[Record]:
    """Return the records of fish's watch on PATH; the outermost place of each stack is what did it."""
    found = []
    for chunk in text.split("\x01CHANGE\x02")[1:]:
        path, _, stack = chunk.partition("\x03")
        places = FISH_PLACE.findall(stack)
        line, file = places[-1] if places else ("0", "")
        found.append(Record(file=file.strip(), line=int(line), path=path, command="", exact=True))
    return found


def parse_csh(text: str) -> list[Record]:
    """Return the records of tcsh's echo: no line numbers, but which file each assignment stands in."""
    found: list[Record] = []
    files: list[str] = [""]
    for line in text.splitlines():
        words = line.strip()
        if words.startswith("source "):
            files.append(words.removeprefix("source ").strip())
        elif words.startswith(": @END") and len(files) > 1:
            files.pop()
        elif words.startswith(("set path = (", "set path=(")):
            inside = words[words.index("(") + 1 : words.rindex(")")] if ")" in words else ""
            found.append(Record(file=files[-1], line=0, path=":".join(inside.split()), command=words, exact=True))
        elif words.startswith("setenv PATH "):
            path = words.removeprefix("setenv PATH ").strip()
            found.append(Record(file=files[-1], line=0, path=path, command=words, exact=True))
    return found
