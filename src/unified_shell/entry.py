"""Where `ush` begins: an answer to Tab loads next to nothing, all else the command line."""

import contextlib
import sys

__all__ = ["main"]


def main() -> None:
    """Answer to Tab, or run the command line; exits with its code."""
    if sys.argv[1:2] == ["complete"]:
        from unified_shell.cli.completing.answering import answer

        # Whatever goes wrong, the person's line must not be spoilt by it.
        with contextlib.suppress(Exception):
            sys.exit(answer(sys.argv[2:]))
        sys.exit(1)
    from unified_shell.cli.main import main as run

    run()
