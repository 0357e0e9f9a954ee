"""Take the pictures in `docs/screenshots/` anew: real commands on the sample study, in a real terminal without a monitor.

Usage: python docs/take_pictures.py [NAME ...]     (all commands are run in their order; only these pictures are kept)

Needs Xvfb, xterm, ImageMagick's `import` and Chromium, and the shells that the README names. Look at each picture before it is
committed.
"""

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PICTURES = Path(__file__).parent / "screenshots"
HOME = Path(tempfile.gettempdir()) / "apiary"
PROGRAMS = Path(tempfile.gettempdir()) / "apiary-programs"
# About 1280 by 800 pixels, as a person's window has.
TERMINAL = ("xterm", "-fa", "DejaVu Sans Mono", "-fs", "10.5", "-geometry", "138x42+0+0", "-bg", "#fbfbf8")
MOST_SECONDS = 300.0
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
    ("", ("ush index add apiary wheels --yes", "ush environment new hive --yes")),
    ("package-get", ("ush package get swarmcast 'hivehum[deep]' -e hive --yes",)),
    ("path-add", ("ush path add 'apiary tools' --yes",)),
    ("look-name", ("ush look weigh-hive bash",)),
    ("path-list", ("ush path list", "ush path tidy --yes")),
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
            "ush verify hive --mend --yes",
            "ush environment new songs --language lua --yes",
        ),
    ),
    (
        "command",
        (
            "ush command prefer weigh-hive ~/'apiary tools/weigh-hive' --yes",
            "ush command list",
            "ush look weigh-hive",
        ),
    ),
    (
        "environment",
        (
            "ush environment rename hive study --yes",
            "ush environment list",
            "ush package list -e study",
            "ush store show",
        ),
    ),
    (
        "environment-copy",
        (
            "ush environment copy study newer --plan",
            "ush environment adopt old-study --name old --yes",
            "ush environment copy old mine --yes",
            "ush environment unprotect old --plan",
        ),
    ),
    ("", ("ush catalog add studies catalog --yes",)),
    ("suite", ("ush suite list", "ush suite get humscan --form source --plan")),
    ("", ("ush suite get humscan --form source --yes",)),
    ("suite-trial", ("ush suite try humscan --into trial", "ush suite show humscan")),
    ("suite-plot", ()),
    ("outfit", ("grep . outfit.toml", "ush outfit plan", "ush outfit equip --yes | tail -5", "ush outfit plan")),
    ("interpreter-get", ("ush interpreter get lua-5.4.9.tar.gz --front --yes", "ush look lua")),
    ("interpreter-list", ("ush interpreter list", "ush verify lua-5.4.9")),
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
            "ush package drop combgraph -e study --yes",
        ),
    ),
    ("journal-undo", ("ush journal", "ush undo 2", "ush undo 7 --plan")),
    ("demo", ("ush demo | tail -40",)),
)


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
            elif name in wanted:
                _show(name, lines, display)
                print(PICTURES / f"{name}.png")
            else:
                subprocess.run(
                    ["bash", "-c", "\n".join(lines)], env=_variables(), cwd=HOME, capture_output=True, check=False
                )


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


def _show(name: str, lines: tuple[str, ...], display: str) -> None:
    """Type lines in a terminal window, each below its words, and keep what the window shows in the end."""
    with tempfile.TemporaryDirectory() as work:
        done = Path(work) / "done"
        script = [f"cd {shlex.quote(str(HOME))}"]
        for number, line in enumerate(lines):
            script += ["echo"] * (number > 0) + [f"printf '\\033[1;32m$\\033[0m %s\\n' {shlex.quote(line)}", line]
        script += [f"touch {done}", "sleep 60"]
        (Path(work) / "script").write_text("\n".join(script) + "\n")
        variables = {**_variables(), "DISPLAY": display, "COLORTERM": "truecolor"}
        words = [*TERMINAL, "-fg", "#1f2328", "-b", "14", "+sb", "-e", "bash", "--norc", f"{work}/script"]
        window = subprocess.Popen(words, env=variables, stderr=subprocess.DEVNULL)
        end = time.monotonic() + MOST_SECONDS
        while not done.exists() and time.monotonic() < end:
            time.sleep(0.1)
        # The window draws a moment later than the command ends.
        time.sleep(0.5)
        subprocess.run(["import", "-window", "root", PICTURES / f"{name}.png"], env=variables, check=True)
        window.terminate()
        window.wait()


def _show_page(lines: tuple[str, ...], page: str, picture: Path) -> None:
    """Run lines unseen, and keep what a browser shows of the page that they write."""
    subprocess.run(["bash", "-c", "\n".join(lines)], env=_variables(), cwd=HOME, capture_output=True, check=False)
    words = ["chromium", "--headless", "--no-sandbox", "--hide-scrollbars", "--window-size=1280,800"]
    subprocess.run(
        [*words, f"--screenshot={picture}", f"file://{HOME / page}"], check=True, stderr=subprocess.DEVNULL
    )


if __name__ == "__main__":
    main()
