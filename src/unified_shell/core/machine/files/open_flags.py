"""How files are opened, as far as the system has a word for it."""

import os

__all__ = ["EXCLUSIVE", "NO_FOLLOW"]

# A link in a file's place is refused; a system without this word has no such links for most accounts.
NO_FOLLOW = getattr(os, "O_NOFOLLOW", 0)
# A new file, never one that is there, as bytes.
EXCLUSIVE = (
    os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_FOLLOW | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_BINARY", 0)
)
