"""What the words before the cursor mean: which command, and what the word at the cursor stands for."""

from typing import Any

__all__ = ["Wanted", "wanted_word"]


class Wanted:
    """What may stand at the cursor: names of a `kind`, or the options or verbs in `choices` with what they are about.

    `environment` is the one that was named before, `before` what the word has already and keeps.
    """

    def __init__(
        self, kind: str = "", choices: "dict[str, str] | None" = None, environment: str = "", before: str = ""
    ) -> None:
        self.kind, self.choices, self.environment, self.before = kind, choices or {}, environment, before


def wanted_word(table: dict[str, Any], words: list[str]) -> Wanted:
    """Return what the last of these words, which may be empty, stands for; the first is behind `ush`."""
    path, rest = "", list(words)
    while path in table["groups"]:
        verbs: dict[str, str] = table["groups"][path]
        while len(rest) > 1 and rest[0].startswith("-"):
            del rest[0]
        if len(rest) < 2:
            first = rest[0] if rest else ""
            return Wanted(choices={} if first.startswith("-") else verbs)
        word = rest.pop(0)
        fitting = [word] if word in verbs else [name for name in verbs if name.startswith(word)]
        if len(fitting) != 1:
            return Wanted()
        path = f"{path} {fitting[0]}".strip()
    found = table["commands"].get(path)
    return _in_command(found, rest) if found is not None else Wanted()


def _in_command(command: dict[str, Any], words: list[str]) -> Wanted:
    """Walk the words of a command up to the one at the cursor."""
    options: dict[str, list[str]] = command["options"]
    environment, behind, place, at = "", "", 0, 0
    ended = False
    while at < len(words) - 1:
        word = words[at]
        at += 1
        if word == "--" and not ended:
            ended = True
        elif word.startswith("-") and len(word) > 1 and not ended:
            name, has_value, value = word.partition("=")
            kind = options.get(name, ["", ""])[1]
            if kind and not has_value:
                if at == len(words) - 1:
                    behind = kind
                    break
                value = words[at]
                at += 1
            environment = value if kind == "environments" else environment
        else:
            kind = _kind_of_word(command, place)
            environment = environment or (word if kind == "environments" else "")
            place += 1
    current = words[-1] if words else ""
    if behind:
        return _of_kind(behind, environment)
    if current.startswith("--") and "=" in current and not ended:
        name = current.partition("=")[0]
        found = _of_kind(options.get(name, ["", ""])[1], environment)
        found.before = f"{name}="
        return found
    if current.startswith("-") and not ended:
        return Wanted(choices={name: about for name, (about, _) in options.items()})
    return _of_kind(_kind_of_word(command, place), environment)


def _kind_of_word(command: dict[str, Any], place: int) -> str:
    words: list[str] = command["words"]
    if place < len(words):
        return words[place]
    return words[-1] if words and command["endless"] else ""


def _of_kind(kind: str, environment: str) -> Wanted:
    if kind.startswith("="):
        return Wanted(choices=dict.fromkeys(kind[1:].split(","), ""))
    return Wanted(kind=kind, environment=environment)
