"""Becoming another program: apart from starting ones, so that it costs no more than it must."""

import os
from collections.abc import Mapping, Sequence

__all__ = ["replace_process"]


def replace_process(argv: Sequence[str], environment: Mapping[str, str]) -> OSError:
    """Become another program, found on the given environment's PATH; returns only where it cannot start."""
    try:
        os.execvpe(argv[0], list(argv), dict(environment))
    except OSError as error:
        return error
