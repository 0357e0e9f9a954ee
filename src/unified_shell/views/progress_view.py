"""How far a long change is: a bar with bytes, rate and time left for what is fetched, counts for the rest.

Without a terminal a line every few seconds says the same.
"""

from __future__ import annotations

import contextlib
import re
import threading
from typing import TYPE_CHECKING

from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.files.disks import shown_size

from .terminal.tables import GOOD

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.progress import Progress, TaskID

    from .terminal.screen import Screen

__all__ = ["ProgressView"]

# Whoever waits shorter needs no word.
QUIET_SECONDS = 2.0
LINE_SECONDS = 5.0
LAZY_SECONDS = 0.4
# More is a limit, where nobody promised a size.
MOST_PROMISED = 10_000_000_000
COUNTED = re.compile(r"(.+), (\d+) of (\d+)")


class ProgressView:
    """Shows phases and bytes. It is told from several threads."""

    def __init__(self, screen: Screen, *, quiet: bool) -> None:
        self._screen, self._quiet = screen, quiet
        self._lock = threading.Lock()
        self._transfers: dict[str, tuple[int, int]] = {}
        self._began = self._told_at = steady_seconds()
        self._fetch_began = 0.0
        self._title, self._phase, self._told = "", "", ""
        self._shown_from = 0.0
        self._bars: Progress | None = None
        self._bar: TaskID | None = None

    @contextlib.contextmanager
    def shown(self, title: str, *, at_once: bool = False) -> Iterator[None]:
        """Show a bar with a title for the time of a block, at a terminal: as soon as it takes its time, or `at_once`."""
        self._transfers.clear()
        self._title, self._phase, self._fetch_began = title, "", 0.0
        self._shown_from = steady_seconds() + (0 if at_once else LAZY_SECONDS)
        if at_once:
            self._open()
        try:
            yield
        finally:
            with self._lock:
                self._title = ""
                if self._bars is not None:
                    self._bars.stop()
                self._bars = None

    def _open(self) -> None:
        if self._quiet or not self._title or self._bars is not None or not self._screen.may_move:
            return
        from rich.progress import BarColumn, Progress, SpinnerColumn, TextColumn
        from rich.table import Column

        columns = (
            SpinnerColumn(),
            # As texts: a name in brackets is no markup. A long title gives way.
            TextColumn(
                "{task.description}", markup=False, table_column=Column(no_wrap=True, overflow="ellipsis", ratio=1)
            ),
            TextColumn("{task.fields[told]}", markup=False, table_column=Column(no_wrap=True)),
            BarColumn(
                bar_width=16,
                complete_style=GOOD,
                finished_style=GOOD,
                pulse_style=GOOD,
                style="bright_black",
            ),
        )
        self._bars = Progress(*columns, console=self._screen.err, transient=True, expand=True)
        self._bar = self._bars.add_task(self._title, total=None, told="")
        self._bars.start()

    def phase(self, text: str) -> None:
        """Tell what is done now; `NAME, N of M` is shown as a part of a whole."""
        with self._lock:
            self._phase = text
            self._show()

    def bytes_here(self, address: str, size_bytes: int, of_bytes: int) -> None:
        """Tell how many bytes of a download are here, of how many that it may have."""
        with self._lock:
            self._fetch_began = self._fetch_began or steady_seconds()
            self._transfers[address] = (size_bytes, of_bytes)
            self._show()

    def _show(self) -> None:
        here = sum(size for size, _ in self._transfers.values())
        every = sum(size if of > MOST_PROMISED else of for size, of in self._transfers.values())
        fetching = here < every
        counted = COUNTED.fullmatch(self._phase)
        if fetching:
            seconds = max(steady_seconds() - self._fetch_began, 0.1)
            rate = here / seconds
            left = f", {_time((every - here) / rate)} left" if rate > 1 and seconds > 1 else ""
            told = f"fetched {shown_size(here)} of {shown_size(every)}, {shown_size(int(rate))}/s{left}"
            done, total = here, every
        elif counted:
            told, done, total = self._phase, int(counted[2]), int(counted[3])
        else:
            told, done, total = self._phase, 0, 0
        if steady_seconds() >= self._shown_from:
            self._open()
        if self._bars is not None and self._bar is not None:
            self._bars.update(self._bar, completed=done, total=total or None, told=told)
        else:
            self._say(told)

    def _say(self, told: str) -> None:
        now = steady_seconds()
        name = told.partition(",")[0].partition(" ")[0]
        is_new = name != self._told
        if self._quiet or now - self._began < QUIET_SECONDS or (not is_new and now - self._told_at < LINE_SECONDS):
            return
        self._told, self._told_at = name, now
        self._screen.say(f"… {told}")


def _time(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
