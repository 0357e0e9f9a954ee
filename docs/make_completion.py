"""Write `words.json`, the table of all words of the command line by which Tab is answered.

Usage: python docs/make_completion.py

A test compares it with the parser.
"""

import json
from pathlib import Path

import unified_shell
from unified_shell.cli.completing.words_table import words_table

FILE = Path(unified_shell.__file__).parent / "cli/completing/words.json"


def table_text() -> str:
    """Return the file's text."""
    return (
        json.dumps(words_table(), ensure_ascii=False, separators=(",", ":")).replace('"commands":', '\n"commands":')
        + "\n"
    )


if __name__ == "__main__":
    FILE.write_text(table_text(), encoding="utf-8")
