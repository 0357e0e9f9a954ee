"""Who is at work on something that others may find: told by host, boot and process, and by a lock where that is elsewhere.

Homes are shared by machines and containers, and a process number means nothing on another of them; in a container each
program is process 1. So a worker's marks hold the boot and the process namespace too; of one that is not of this machine
nothing is known but whether it still holds its lock.
"""

import contextlib
import os
from collections.abc import Callable, Iterator

from msgspec import Struct

__all__ = ["Worker", "hold", "is_at_work", "is_held", "present", "this_worker"]

# Two readings of one process's beginning differ by the clock's resolution.
SAME_SECONDS = 2.0


class Worker(Struct, frozen=True, kw_only=True):
    """A process: its number, when it began (seconds since 1970), and the machine, as boot and process namespace."""

    process: int
    began_seconds: float
    machine: str


def this_worker() -> Worker:
    """Return this process."""
    import psutil

    return Worker(process=os.getpid(), began_seconds=float(psutil.Process().create_time()), machine=_machine())


def is_at_work(worker: Worker, lock: str) -> bool:
    """Tell whether a worker may still be at work; `lock` is the file that it holds locked all the while."""
    if worker.machine in ("", _machine()):
        return _lives(worker)
    return is_held(lock)


def is_held(lock: str) -> bool:
    """Tell whether somebody holds a lock, on whichever machine; where locks cannot be had, whether its file is there."""
    return os.path.exists(lock) and not _is_free(lock)


@contextlib.contextmanager
def present(lock: str) -> Iterator[None]:
    """Hold a lock for as long as something is worked on; the file goes with the block.

    Where locks cannot be had, as on some shared disks, the file alone stands for us: others then leave our work alone.
    """
    from filelock import FileLock, Timeout

    os.makedirs(os.path.dirname(lock), exist_ok=True)
    held = FileLock(lock)
    try:
        held.acquire(timeout=0)
    except (Timeout, NotImplementedError, OSError):
        with open(lock, "ab"):
            pass
    try:
        yield
    finally:
        with contextlib.suppress(OSError):
            os.unlink(lock)
        with contextlib.suppress(OSError):
            held.release()


def hold(lock: str, on_wait: Callable[[], None]) -> Callable[[], None]:
    """Hold a lock until the function that is returned is called; where another has it, `on_wait` is told once, and it is
    waited for. Where locks cannot be had, nobody waits.
    """
    from filelock import FileLock, Timeout

    os.makedirs(os.path.dirname(lock), exist_ok=True)
    held = FileLock(lock)
    try:
        try:
            held.acquire(timeout=0)
        except Timeout:
            on_wait()
            held.acquire()
    except (NotImplementedError, OSError):
        return lambda: None
    return held.release


def _is_free(lock: str) -> bool:
    from filelock import FileLock, Timeout

    held = FileLock(lock)
    try:
        held.acquire(timeout=0)
    except (Timeout, NotImplementedError, OSError):
        return False
    held.release()
    return True


def _lives(worker: Worker) -> bool:
    import psutil

    try:
        return bool(abs(psutil.Process(worker.process).create_time() - worker.began_seconds) < SAME_SECONDS)
    except (psutil.Error, ValueError):
        return False


def _machine() -> str:
    """Return what is another text on another machine, after a boot, and in another process namespace."""
    try:
        with open("/proc/sys/kernel/random/boot_id", encoding="ascii") as file:
            boot = file.read().strip()
        return f"{boot} {os.readlink('/proc/self/ns/pid')}"
    except OSError:
        import platform

        import psutil

        return f"{platform.node()} {psutil.boot_time():.0f}"
