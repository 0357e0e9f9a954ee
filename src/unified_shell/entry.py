"""Where `ush` begins: an answer to Tab loads next to nothing, all else the command line."""

import contextlib
import gc
import sys

__all__ = ["main"]

# Loading makes thousands of objects that all stay; to look among them for garbage every 700, as is usual, takes a tenth of a
# short command's time.
COLLECT_EVERY = 50_000


def main() -> None:
    """Answer to Tab, or run the command line; exits with its code."""
    gc.set_threshold(COLLECT_EVERY)
    if sys.argv[1:2] == ["complete"]:
        from unified_shell.cli.completing.answering import answer

        # Whatever goes wrong, the person's line must not be spoilt by it.
        with contextlib.suppress(Exception):
            sys.exit(answer(sys.argv[2:]))
        sys.exit(1)
    from unified_shell.cli.main import main as run

    run()
