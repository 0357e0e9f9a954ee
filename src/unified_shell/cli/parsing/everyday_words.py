"""Words that people type for what is called otherwise here, and what to type instead."""

import difflib
from collections.abc import Mapping, Sequence

from unified_shell.core.next_steps import NextStep, ush

__all__ = ["instead_of_noun", "instead_of_option", "instead_of_verb"]

# A word for an action, and the verb that does it, where a noun has that verb.
VERBS: Mapping[str, tuple[str, ...]] = {
    "install": ("get", "add", "wire", "new"),
    "fetch": ("get",),
    "download": ("get",),
    "create": ("new", "add"),
    "make": ("new",),
    "init": ("new",),
    "add": ("get", "new"),
    "remove": ("drop", "unwire"),
    "delete": ("drop", "unwire"),
    "uninstall": ("drop", "unwire"),
    "rm": ("drop",),
    "activate": ("enter", "wire"),
    "use": ("enter", "prefer"),
    "select": ("prefer",),
    "update": ("refresh",),
    "upgrade": ("refresh",),
    "ls": ("list",),
    "info": ("show", "list"),
    "fix": ("mend", "tidy"),
    "repair": ("mend", "tidy"),
    "clean": ("sweep", "tidy"),
}
# The same without a noun: what most people mean by it.
CALLS: Mapping[str, tuple[str, ...]] = {
    "install": ("package", "get"),
    "get": ("package", "get"),
    "fetch": ("package", "get"),
    "add": ("package", "get"),
    "create": ("environment", "new"),
    "new": ("environment", "new"),
    "init": ("environment", "new"),
    "remove": ("package", "drop"),
    "delete": ("package", "drop"),
    "uninstall": ("package", "drop"),
    "drop": ("package", "drop"),
    "rm": ("package", "drop"),
    "activate": ("environment", "enter"),
    "enter": ("environment", "enter"),
    "use": ("environment", "enter"),
    "run": ("environment", "run"),
    "update": ("package", "refresh"),
    "upgrade": ("package", "refresh"),
    "refresh": ("package", "refresh"),
    "list": ("package", "list"),
    "ls": ("package", "list"),
    "freeze": ("package", "list"),
    "why": ("package", "why"),
    "where": ("look",),
    "find": ("look",),
    "which": ("look",),
    "check": ("verify",),
    "test": ("verify",),
    "history": ("journal",),
    "log": ("journal",),
    "revert": ("undo",),
    "rollback": ("undo",),
    "version": ("--version",),
}
# What is so much alike is likely meant.
LIKENESS = 0.75


def instead_of_noun(word: str, rest: Sequence[str]) -> NextStep:
    """Return the call that a first word stands for, with the words that follow it; empty for none."""
    words = CALLS.get(word.lower())
    if words is None:
        return ""
    return ush(*words, *(() if words[0].startswith("-") else rest))


def instead_of_verb(noun: str, word: str, rest: Sequence[str], known: Sequence[str]) -> NextStep:
    """Return the call of a noun that a word for a verb stands for; empty for none."""
    if word.lower() in ("help", "version"):
        return ush(noun, "--help")
    if noun == "environment" and word.lower() in ("update", "upgrade"):
        return ush("package", "refresh", *(("-e", rest[0]) if rest else ()))
    verb = next((one for one in VERBS.get(word.lower(), ()) if one in known), "")
    return ush(noun, verb, *rest) if verb else ""


def instead_of_option(option: str, known: Sequence[str]) -> str:
    """Return the option that was meant, if one is so much alike; two letters in the wrong order count as alike."""
    same_letters = [one for one in known if sorted(one) == sorted(option)]
    begins = [one for one in known if option.startswith("--") and one.startswith(option[:4])]
    close = difflib.get_close_matches(option, known, n=1, cutoff=LIKENESS)
    return next(iter([*same_letters, *close, *(begins if len(begins) == 1 else [])]), "")
