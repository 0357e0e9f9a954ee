"""Becoming another program: apart from starting ones, so that it costs no more than it must."""

import os
from collections.abc import Mapping, Sequence

from unified_shell.core.machine.path_rules import HERE

__all__ = ["replace_process"]


def replace_process(argv: Sequence[str], environment: Mapping[str, str]) -> OSError:
    """Become another program, found on the given environment's PATH; returns only where it cannot start.

    Windows has no such thing: its call of that name ends us at once, and whoever started us goes on before the program has
    ended. There the program is waited for, and we end with its code.
    """
    try:
        if HERE.is_windows:
            os._exit(_run(argv, environment))
        os.execvpe(argv[0], list(argv), dict(environment))
    except OSError as error:
        return error


def _run(argv: Sequence[str], environment: Mapping[str, str]) -> int:
    """Run a program to its end; an interrupt from the keyboard is the program's own affair, which gets it too."""
    import shutil
    import signal
    import subprocess

    found = shutil.which(argv[0], path=environment.get("PATH", os.defpath))
    if found is None:
        raise FileNotFoundError(2, os.strerror(2), argv[0])
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    return subprocess.run([found, *argv[1:]], env=dict(environment), check=False).returncode
