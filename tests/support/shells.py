"""The shells that tests drive."""

import os
import shutil

import pytest

# The words that start each shell which reads POSIX text.
POSIX_SHELLS = ("bash", "dash", "busybox sh", "ksh", "mksh", "zsh")


def words_of(shell: str) -> list[str]:
    """Return a shell's words; without it, skip the test, or fail it where all shells are promised."""
    words = shell.split()
    found = shutil.which(words[0])
    if found is None:
        (pytest.fail if os.environ.get("USH_TEST_ALL_SHELLS") else pytest.skip)(f"the shell {shell} is missing")
    return [found or "", *words[1:]]
