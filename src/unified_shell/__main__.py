"""Lets `python -m unified_shell` do what `ush` does."""

from unified_shell.entry import main

if __name__ == "__main__":
    main()
