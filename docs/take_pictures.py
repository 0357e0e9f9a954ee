"""Take the pictures in `docs/screenshots/` anew: real commands on the sample study, in a real terminal without a monitor.

Usage: python docs/take_pictures.py [NAME ...]     (all commands are run in their order; only these pictures are kept)

Needs Xvfb, xterm, ImageMagick's `import` and Chromium, and the shells that the README names. Look at each picture before it is
committed.
"""

import fcntl
import os
import pty
import re
import select
import shutil
import struct
import subprocess
import sys
import tempfile
import termios
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PICTURES = Path(__file__).parent / "screenshots"
HOME = Path(tempfile.gettempdir()) / "apiary"
PROGRAMS = Path(tempfile.gettempdir()) / "apiary-programs"
# About 1280 by 800 pixels, as a person's window has.
TERMINAL = (
    "xterm",
    "-tn",
    "xterm-256color",
    "-fa",
    "DejaVu Sans Mono",
    "-fs",
    "10.5",
    "-geometry",
    "138x42+0+0",
    "-bg",
    "#fbfbf8",
)
MOST_SECONDS = 300.0
# A title that no window shows tells that the shell waits for the next line.
READY = "\x1b]2;ready\x07"
PROMPT = "\\[\x1b]2;ready\x07\x1b[1;32m\\]$\\[\x1b[0m\\] "
STARTUP = "# startup file of the sample account\nexport PATH=$HOME/old/bin:$PATH\nexport PATH=$HOME/old/bin:$PATH\n"
STARTUP += "export PATH=$HOME/gone/bin:$PATH\n"
OUTFIT = """\
[outfit]
name = "season"

[environment.season]
packages = ["swarmcast"]
variables = { HIVE_MODE = "day" }

[variables]
HIVE_DATA = "{home}/hive-data"

[[check]]
module = "waggle"
in = "season"
"""
# A name, and the lines that are typed; where it is empty, they are run unseen.
SCENES: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("look", ("ush look",)),
    ("", ("ush index add apiary wheels", "ush environment new hive")),
    ("package-get", ("ush package get swarmcast 'hivehum[deep]' -e hive",)),
    ("path-add", ("ush path add 'apiary tools'",)),
    ("look-name", ("ush look weigh-hive bash",)),
    ("path-list", ("ush path list", "ush path tidy")),
    (
        "",
        (
            "f=$(echo ~/.local/share/unified-shell/environments/hive/lib/python*/site-packages/hivehum/__init__.py)",
            'chmod u+w "$f"; echo "# a note" >> "$f"',
            "mv 'apiary tools' 'apiary tools, old'",
        ),
    ),
    ("verify", ("ush verify 'python3>=3' module:waggle@hive", "ush verify", "ush verify --mend --plan")),
    ("report", ("ush verify --html report.html",)),
    (
        "",
        (
            "mv 'apiary tools, old' 'apiary tools'",
            "ush verify hive --mend",
            "ush environment new songs --language lua",
        ),
    ),
    (
        "command",
        (
            "ush command prefer weigh-hive ~/'apiary tools/weigh-hive'",
            "ush command list",
            "ush look weigh-hive",
        ),
    ),
    (
        "environment",
        (
            "ush environment rename hive study",
            "ush environment list",
            "ush package list -e study",
            "ush store show",
        ),
    ),
    (
        "environment-copy",
        (
            "ush environment adopt old-study --name old",
            "ush environment copy old mine",
            "ush environment unprotect old --plan",
        ),
    ),
    ("", ("ush catalog add studies catalog",)),
    ("suite", ("ush suite list --category sequences", "ush suite get humscan --form source --plan")),
    ("", ("ush suite get humscan --form source",)),
    ("suite-trial", ("ush suite try humscan --into trial", "ush suite show humscan")),
    ("suite-plot", ()),
    ("outfit", ("ush outfit plan", "ush outfit equip --yes | tail -5", "ush outfit plan")),
    ("interpreter-get", ("ush interpreter get lua-5.4.9.tar.gz --front", "ush look lua")),
    ("", ("ush shell wire bash zsh fish --completion",)),
    ("completion", ()),
    (
        "errors",
        (
            "ush install swarmcast",
            "ush package get 'swarmcast==9' -e study",
            "ush environment create x",
            "ush in list",
            "ush package get ./apiary -e study",
            "ush environment show stduy",
            "ush path add tools --front --back",
            "ush package get nectar -e study",
            "ush package drop combgraph -e study",
        ),
    ),
    ("journal-undo", ("ush journal", "ush undo 2", "ush undo 7 --plan")),
    ("demo", ("ush demo | tail -40",)),
)


# What is typed in each shell; the last answer to Tab stays.
COMPLETIONS = {
    "bash": ("ush environment sh<TAB>st<TAB>", "ush package <TAB><TAB>"),
    "zsh": ("ush package why -e study wag<TAB>", "ush environment <TAB>"),
    "fish": ("ush suite get ha<TAB>", "ush undo <TAB>"),
}
PANE = 266


def main() -> None:
    """Run all scenes in order, and keep the pictures that were asked for."""
    wanted = set(sys.argv[1:]) or {name for name, _ in SCENES if name}
    _make_account()
    with _display() as display:
        for name, lines in SCENES:
            if name == "report" and name in wanted:
                _show_page(lines, "report.html", PICTURES / f"{name}.png")
            elif name == "suite-plot" and name in wanted:
                shutil.copy(HOME / "trial/spectrum.png", PICTURES / f"{name}.png")
            elif name == "completion" and name in wanted:
                _show_completion(display)
            elif name in wanted and lines:
                _show(name, lines, display)
                print(PICTURES / f"{name}.png")
            else:
                _type_unseen(lines)


def _make_account() -> None:
    """Make the sample account: wheels, tools, startup files, an environment and an interpreter that others made."""
    from unified_shell.demo.sample_suite import make_humscan_catalog
    from unified_shell.demo.study import make_study_index, make_tools

    for folder in (HOME, PROGRAMS):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
    (PROGRAMS / "ush").symlink_to(Path(sys.executable).with_name("ush"))
    make_study_index(str(HOME / "wheels"))
    (HOME / "outfit.toml").write_text(OUTFIT)
    make_tools(str(HOME / "apiary tools"))
    make_humscan_catalog(str(HOME / "catalog"))
    shutil.copytree(HOME / "apiary tools", HOME / "old/bin")
    (HOME / ".bashrc").write_text(STARTUP)
    (HOME / ".profile").write_text('# startup file of the sample account\n[ -z "$BASH_VERSION" ] || . ~/.bashrc\n')
    subprocess.run(["/usr/bin/python3", "-m", "venv", "--without-pip", HOME / "old-study"], check=True)
    (site,) = (HOME / "old-study/lib").glob("python*/site-packages")
    (wheel,) = (HOME / "wheels").glob("waggle_io-*.whl")
    shutil.unpack_archive(wheel, site, "zip")
    with tempfile.TemporaryDirectory() as work:
        place = Path(work) / "lua-5.4.9/bin"
        place.mkdir(parents=True)
        for name in ("lua", "lua-tool"):
            (place / name).write_text(
                '#!/bin/sh\n[ "$1" != -v ] || { echo "Lua 5.4.9"; exit; }\nexec /usr/bin/lua "$@"\n'
            )
            (place / name).chmod(0o755)
        subprocess.run(["tar", "-C", work, "-czf", HOME / "lua-5.4.9.tar.gz", "lua-5.4.9"], check=True)


def _variables() -> dict[str, str]:
    path = f"{PROGRAMS}:/usr/local/bin:/usr/bin:/bin"
    return {"HOME": str(HOME), "PATH": path, "SHELL": "/bin/bash", "LANG": "C.UTF-8", "TERM": "xterm-256color"}


@contextmanager
def _display() -> Iterator[str]:
    """Give a screen that nobody sees, and yield its name."""
    reading, writing = os.pipe()
    words = ["Xvfb", "-displayfd", str(writing), "-screen", "0", "1280x800x24", "-nolisten", "tcp"]
    server = subprocess.Popen(words, pass_fds=(writing,), stderr=subprocess.DEVNULL)
    os.close(writing)
    with os.fdopen(reading) as told:
        number = told.readline().strip()
    try:
        yield f":{number}"
    finally:
        server.terminate()
        server.wait()


def _show(name: str, lines: tuple[str, ...], display: str, shell: str = "bash") -> None:
    """Type lines in a terminal window, as a person does, and keep what the window shows in the end."""
    with tempfile.TemporaryDirectory() as work:
        done, typed = Path(work) / "done", Path(work) / "typed"
        typed.write_text("\n".join(lines))
        variables = {**_variables(), "DISPLAY": display, "COLORTERM": "truecolor"}
        driver = [sys.executable, __file__, "--type", str(typed), str(done), shell]
        words = [*TERMINAL, "-fg", "#1f2328", "-b", "14", "+sb", "-e", *driver]
        window = subprocess.Popen(words, env=variables, cwd=HOME, stderr=subprocess.DEVNULL)
        end = time.monotonic() + MOST_SECONDS
        while not done.exists() and time.monotonic() < end:
            time.sleep(0.1)
        # The window draws a moment later than the command ends.
        time.sleep(0.5)
        subprocess.run(["import", "-window", "root", PICTURES / f"{name}.png"], env=variables, check=True)
        window.terminate()
        window.wait()


def _show_completion(display: str) -> None:
    """Press Tab in each shell, and keep the tops of the windows below each other."""
    parts = []
    for shell, lines in COMPLETIONS.items():
        _show(f"completion-{shell}", lines, display, shell)
        parts.append(PICTURES / f"completion-{shell}.png")
    words = ["convert", *parts, "-crop", f"1280x{PANE}+0+0", "+repage", "-append", PICTURES / "completion.png"]
    subprocess.run(words, check=True)
    for part in parts:
        part.unlink()


def _type_unseen(lines: tuple[str, ...]) -> None:
    with tempfile.TemporaryDirectory() as work:
        done, typed = Path(work) / "done", Path(work) / "typed"
        typed.write_text("\n".join(lines))
        words = [sys.executable, __file__, "--type", str(typed), str(done), "bash"]
        with subprocess.Popen(words, env=_variables(), cwd=HOME, stdout=subprocess.DEVNULL) as driver:
            while not done.exists() and driver.poll() is None:
                time.sleep(0.05)
            driver.kill()


def _type(lines: list[str], done: Path, shell: str) -> None:
    """Type lines into an interactive shell of this terminal, each when the one before has ended; questions are answered."""
    size = struct.pack("HHHH", *shutil.get_terminal_size((138, 42))[::-1], 0, 0)
    number, terminal = pty.fork()
    if number == 0:
        os.execvpe(shell, [shell], {**os.environ, "PROMPT_COMMAND": f"PS1='{PROMPT}'", "PAGER": "cat"})
    fcntl.ioctl(terminal, termios.TIOCSWINSZ, size)
    _shown(terminal, until=READY if shell == "bash" else "", seconds=MOST_SECONDS if shell == "bash" else 2)
    for number, line in enumerate(lines):
        if "<TAB>" in line:
            _press(terminal, line, stays=number == len(lines) - 1)
            continue
        if number:
            os.write(terminal, b"\r")
            _shown(terminal, until=READY)
        os.write(terminal, line.encode() + b"\r")
        while not _shown(terminal, until=READY, question="Go ahead?"):
            os.write(terminal, b"y\r")
    done.touch()
    time.sleep(60)


def _press(terminal: int, line: str, *, stays: bool) -> None:
    """Press the keys of a line, `<TAB>` among them, with time for each answer; then leave the line, unless it stays."""
    for part in re.split("(<TAB>)", line):
        os.write(terminal, b"\t" if part == "<TAB>" else part.encode())
        _shown(terminal, seconds=1.2 if part == "<TAB>" else 0.2)
    if not stays:
        os.write(terminal, b"\x03")
        _shown(terminal, seconds=1.0)


def _shown(terminal: int, *, until: str = "", question: str = "", seconds: float = MOST_SECONDS) -> bool:
    """Pass on what is shown, for a time or until a text; tell whether that was it, and not the question."""
    end, seen = time.monotonic() + seconds, ""
    while time.monotonic() < end:
        if not select.select([terminal], [], [], 0.05)[0]:
            continue
        raw = os.read(terminal, 65536)
        os.write(1, raw)
        seen += raw.decode("utf-8", "replace")
        if question and question in seen:
            return False
        if until and until in seen:
            return True
    return True


def _show_page(lines: tuple[str, ...], page: str, picture: Path) -> None:
    """Run lines unseen, and keep what a browser shows of the page that they write."""
    subprocess.run(["bash", "-c", "\n".join(lines)], env=_variables(), cwd=HOME, capture_output=True, check=False)
    words = ["chromium", "--headless", "--no-sandbox", "--hide-scrollbars", "--window-size=1280,800"]
    subprocess.run(
        [*words, f"--screenshot={picture}", f"file://{HOME / page}"], check=True, stderr=subprocess.DEVNULL
    )


if __name__ == "__main__":
    if sys.argv[1:2] == ["--type"]:
        _type(Path(sys.argv[2]).read_text().split("\n"), Path(sys.argv[3]), sys.argv[4])
    else:
        main()
