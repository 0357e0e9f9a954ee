"""How far a long change is, where there is no terminal: few lines, each with what is new."""

import pytest

from unified_shell.views import progress_view
from unified_shell.views.progress_view import ProgressView
from unified_shell.views.terminal.screen import Screen


class _Clock:
    now = 100.0


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> _Clock:
    clock = _Clock()
    monkeypatch.setattr(progress_view, "steady_seconds", lambda: clock.now)
    return clock


def test_a_line_every_few_seconds_says_how_far_it_is(clock: _Clock, capsys: pytest.CaptureFixture[str]) -> None:
    view = ProgressView(Screen(no_color=True), quiet=False)
    with view.shown("Get hivehum"):
        for second in range(21):
            clock.now = 100.0 + second
            view.bytes_here("a", second * 1_000_000, 20_000_000)
            view.bytes_here("b", 5_000_000, 5_000_000)
        clock.now += 1
        view.phase("unpack, 1 of 2")
        view.phase("unpack, 2 of 2")
    lines = capsys.readouterr().err.splitlines()
    assert len(lines) <= 6, "a line every five seconds"
    assert lines[0] == "… fetched 7.0 MB of 25.0 MB, 3.5 MB/s, 5 s left"
    assert lines[-1] == "… unpack, 1 of 2"


@pytest.mark.parametrize(("seconds", "quiet"), [(1, False), (60, True)])
def test_what_is_short_or_to_be_quiet_says_nothing(
    clock: _Clock, capsys: pytest.CaptureFixture[str], seconds: int, *, quiet: bool
) -> None:
    view = ProgressView(Screen(no_color=True), quiet=quiet)
    for second in range(seconds):
        clock.now = 100.0 + second
        view.bytes_here("a", second, 100)
        view.phase(f"compile, {second} of 60")
    assert capsys.readouterr().err == ""
