"""A name by which a tree or program is known: a symbolic link that leads to it, or, where the system or file system makes none,
the tree itself, moved there, and for a program a script that starts it.

A tree that is moved holds a small file with what the link would hold, so that both are asked and changed in one way. In the
place that it was moved from a folder with nothing in it keeps its name. Moved trees are exchanged by two renames: between
them, which `is_between` tells, there is neither; changing it then goes on from there.
"""

import contextlib
import errno
import os
import shlex

from unified_shell.core.machine.path_rules import HERE

from .durable import sync_directory

__all__ = [
    "MOVED_MARK",
    "NOT_A_LINK",
    "NO_LINKS",
    "is_between",
    "is_tree_link",
    "lead_to",
    "leads_to",
    "link_or_copy",
]

MOVED_MARK = ".leads-to"
# What is there is neither a link nor a tree that was moved.
NOT_A_LINK = "\0no link"
# How a script begins that stands for a link to a program.
SCRIPT_HEAD, MOST_SCRIPT_BYTES = b"#!/bin/sh\n#(ush) stands for a link: none can be made here\n", 16_384
# What systems say of a file system without links, or of an account that may make none.
NO_LINKS = (errno.EPERM, errno.EACCES, errno.ENOSYS, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EINVAL)


def leads_to(link: str) -> str:
    """Return what a link holds; empty where there is none, NOT_A_LINK where something else stands there."""
    try:
        return os.readlink(link)
    except FileNotFoundError:
        return ""
    except OSError:
        return _mark(link) or _started_by(link) or NOT_A_LINK


def is_tree_link(link: str) -> bool:
    """Tell whether a link, or what stands for one, is there."""
    return leads_to(link) not in ("", NOT_A_LINK)


def is_between(link: str, *targets: str) -> bool:
    """Tell whether a change of a moved tree from one of these targets to the other was broken off in its middle."""
    return not os.path.lexists(link) and any(_mark(_full(link, one)) for one in targets if one)


def link_or_copy(target: str, link: str) -> None:
    """Make a link to a program, or a copy of it where no links are made; a relative target is meant from the link's folder,
    and is then given a second name.
    """
    try:
        os.symlink(target, link)
    except OSError:
        source = os.path.join(os.path.dirname(link), target)
        try:
            # A program of the system is not given one: a link for it must not keep an old version of it.
            if os.path.isabs(target):
                raise
            os.link(source, link)
        except OSError:
            import shutil

            shutil.copy2(source, link)


def lead_to(link: str, target: str) -> None:
    """Let a link, made where it is missing, hold this target, or remove it for an empty one.

    Only what a relative target leads to is ours to move. Raises OSError, also where a program has a moved tree's files open.
    """
    folder = os.path.dirname(link)
    if held := _mark(link):
        _move_back(link, held)
    if not target:
        with contextlib.suppress(FileNotFoundError):
            os.unlink(link)
    else:
        os.makedirs(folder, exist_ok=True)
        try:
            _make_link(link, target)
        except OSError as error:
            if error.errno not in NO_LINKS:
                raise
            if not os.path.isabs(target) and not os.path.lexists(link):
                _move_here(link, target)
            elif HERE.is_windows or not os.path.isfile(target):
                raise OSError(error.errno, "no symbolic links can be made here", link) from error
            else:
                _start_instead(link, target)
    if held and held != target:
        _forget(_full(link, held))
    sync_directory(folder)


def _make_link(link: str, target: str) -> None:
    beside = os.path.join(os.path.dirname(link), f".{os.path.basename(link)}.new")
    with contextlib.suppress(FileNotFoundError):
        os.unlink(beside)
    try:
        os.symlink(target, beside)
        os.replace(beside, link)
    finally:
        with contextlib.suppress(OSError):
            os.unlink(beside)


def _start_instead(link: str, target: str) -> None:
    beside = f"{link}.new"
    with open(beside, "wb") as file:
        file.write(SCRIPT_HEAD + f'exec {shlex.quote(target)} "$@"\n'.encode("utf-8", "surrogateescape"))
    os.chmod(beside, 0o755)
    os.replace(beside, link)


def _started_by(link: str) -> str:
    """Return the program that a script which stands for a link starts; empty for any other file."""
    try:
        with open(link, "rb") as file:
            content = file.read(MOST_SCRIPT_BYTES)
    except OSError:
        return ""
    if not content.startswith(SCRIPT_HEAD):
        return ""
    words = shlex.split(content.removeprefix(SCRIPT_HEAD).decode("utf-8", "surrogateescape"))
    return words[1] if len(words) > 1 else ""


def _move_here(link: str, target: str) -> None:
    tree = _full(link, target)
    with open(os.path.join(tree, MOVED_MARK), "w", encoding="utf-8", errors="surrogateescape") as file:
        file.write(target)
    os.rename(tree, link)
    os.mkdir(tree)


def _move_back(link: str, held: str) -> None:
    tree = _full(link, held)
    os.makedirs(os.path.dirname(tree), exist_ok=True)
    with contextlib.suppress(FileNotFoundError):
        os.rmdir(tree)
    try:
        os.rename(link, tree)
    except PermissionError as error:
        # Windows moves no folder of which a file is open, be it a program that runs from it.
        os.mkdir(tree)
        raise OSError(
            errno.EBUSY, "a program runs from it, or has a file of it open; end that first", link
        ) from error
    sync_directory(os.path.dirname(tree))


def _forget(tree: str) -> None:
    with contextlib.suppress(OSError):
        os.unlink(os.path.join(tree, MOVED_MARK))


def _full(link: str, target: str) -> str:
    return os.path.normpath(os.path.join(os.path.dirname(link), target))


def _mark(link: str) -> str:
    try:
        with open(os.path.join(link, MOVED_MARK), encoding="utf-8", errors="surrogateescape") as file:
            return file.read()
    except OSError:
        return ""
