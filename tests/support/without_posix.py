"""Runs `ush` on this Python as if it had no POSIX parts, as far as the project's own modules can see.

Its modules are handed an `os` and a `signal` without the names that only POSIX has, and none of its modules; a file is not
renamed onto one that is there, no symbolic link is made, and no folder opened. The standard library and other packages keep
theirs. Usage: without_posix.py WORD... ; without a word, every module is imported.
"""

import builtins
import contextlib
import errno
import glob
import os
import pkgutil
import signal
import sys
import types
from collections.abc import Mapping, Sequence

PROJECT = "unified_shell"
MODULES = frozenset(
    {"fcntl", "pty", "termios", "tty", "resource", "pwd", "grp", "syslog", "posix", "readline", "curses"}
)
OS = [
    "fork",
    "forkpty",
    "killpg",
    "getuid",
    "geteuid",
    "getgid",
    "getegid",
    "getgroups",
    "setuid",
    "setgid",
    "getsid",
    "setsid",
    "getpgid",
    "setpgid",
    "chown",
    "lchown",
    "fchown",
    "fchmod",
    "chroot",
    "pread",
    "pwrite",
    "openpty",
    "ttyname",
    "uname",
    "statvfs",
    "wait",
    "waitpid",
    "WEXITSTATUS",
    "sched_getaffinity",
    "getloadavg",
    "fchdir",
    "O_NOFOLLOW",
    "O_DIRECTORY",
    "O_CLOEXEC",
    "O_NONBLOCK",
    "O_NOCTTY",
]
SIGNALS = [
    "SIGHUP",
    "SIGQUIT",
    "SIGKILL",
    "SIGUSR1",
    "SIGPIPE",
    "SIGALRM",
    "SIGCHLD",
    "SIGSTOP",
    "SIGTSTP",
    "SIGBUS",
    "alarm",
    "setitimer",
]


def without(module: types.ModuleType, names: Sequence[str], **instead: object) -> types.ModuleType:
    """Return a module that lacks some names."""
    made = types.ModuleType(module.__name__)
    made.__dict__.update({name: value for name, value in vars(module).items() if name not in names} | instead)
    return made


def _is_open(folder: str) -> bool:
    """Tell whether a process has a file of a folder open, or runs a program from it."""
    for process in glob.glob("/proc/[0-9]*"):
        for link in (f"{process}/exe", *glob.glob(f"{process}/fd/*")):
            with contextlib.suppress(OSError):
                if os.readlink(link).startswith(f"{folder}/"):
                    return True
    return False


def _rename(source: str, target: str) -> None:
    if os.path.lexists(target):
        raise FileExistsError(errno.EEXIST, "it is there already", target)
    if os.path.isdir(source) and _is_open(os.path.realpath(source)):
        raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), source)
    os.rename(source, target)


def _symlink(_source: str, target: str, *_: object, **__: object) -> None:
    raise OSError(errno.EPERM, "a required privilege is not held", target)


def _open(path: str, flags: int, mode: int = 0o777, *, dir_fd: int | None = None) -> int:
    if dir_fd is not None:
        raise NotImplementedError("dir_fd")
    if os.path.isdir(path):
        raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), path)
    return os.open(path, flags, mode)


def strip() -> None:
    """From here on the project's modules get what a system without POSIX has."""
    differs = {"rename": _rename, "symlink": _symlink, "open": _open}
    hidden = {
        "os": without(os, OS, supports_dir_fd=set(), supports_follow_symlinks={os.stat}, **differs),
        "signal": without(signal, SIGNALS),
    }
    real = builtins.__import__

    def guarded(
        name: str,
        globals: Mapping[str, object] | None = None,  # noqa: A002 - as the interpreter calls it
        locals: Mapping[str, object] | None = None,  # noqa: A002
        fromlist: Sequence[str] | None = (),
        level: int = 0,
    ) -> types.ModuleType:
        if not level and str((globals or {}).get("__name__", "")).startswith(PROJECT):
            if name in MODULES:
                raise ModuleNotFoundError(f"No module named {name!r}", name=name)
            if name in hidden:
                return hidden[name]
        return real(name, globals, locals, fromlist or (), level)

    builtins.__import__ = guarded


def import_all() -> None:
    """Import every module but the small programs that others run."""
    import unified_shell
    from support.kill_driver import NEVER_IMPORTED

    for module in pkgutil.walk_packages(unified_shell.__path__, f"{PROJECT}."):
        if module.name.rpartition(".")[2] not in NEVER_IMPORTED and "study_data" not in module.name:
            __import__(module.name)


if __name__ == "__main__":
    sys.path.insert(0, os.path.dirname(os.path.dirname(os.path.abspath(__file__))))
    if len(sys.argv) == 1:
        from support.kill_driver import NEVER_IMPORTED  # noqa: F401 - read before the names are gone

        strip()
        import_all()
    else:
        strip()
        from unified_shell.cli.main import main

        sys.argv = ["ush", *sys.argv[1:]]
        main()
