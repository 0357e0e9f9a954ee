"""The script of `ush demo`: what a person would type, with the real output of each command."""

import contextlib
import os
import shutil
import sys
import tempfile
from collections.abc import Sequence

from msgspec import Struct, field

from unified_shell.core.errors import Refused
from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, shown, typed
from unified_shell.core.machine.processes.processes import BackgroundProgram, run_program
from unified_shell.core.next_steps import ush
from unified_shell.views.terminal.screen import Screen

from .sample_suite import make_humscan_catalog
from .study import make_study_index, make_tools

__all__ = ["run_demo"]

# Each call takes about a second.
TIMEOUT_SECONDS = 60.0
SERVER_SECONDS = 20.0


OUTFIT = """\
[outfit]
name = "hive-acoustics"
summary = "The hum of the hives, recorded to foresee swarms"

[index.apiary]
url = "{index}"

[environment.hive]
packages = ["swarmcast", "hivehum>=1"]
variables = { HIVE_MODE = "day" }

[search-path.PATH]
front = ["apiary tools"]

[variables]
HIVE_DATA = "{home}/hive-data"

[[check]]
module = "waggle"
in = "hive"
"""
SUITE = """
[catalog.apiary]
url = "catalog"

[suite.humscan]
version = ">=1.4"
trial = true

[[check]]
command = ["humscan", "--version"]
version = ">=1.4"
"""


class _Stage(Struct):
    """The scratch home and what was typed in it. `wrong` are commands that did not end as they should."""

    screen: Screen
    home: Place
    variables: dict[str, str]
    typed: int = 0
    wrong: list[str] = field(default_factory=list)

    def say(self, text: str) -> None:
        self.screen.result(f"\n--- {text}")

    def type(self, *words: str, expected: int = 0) -> None:
        """Run `ush` with these words, shown as a person would type them."""
        self._show(f"ush {' '.join(typed(word) for word in words)}")
        self._run((sys.executable, "-m", "unified_shell", *words), expected)

    def type_in_new_session(self, line: str, expected: int = 0) -> None:
        """Run a line in a new interactive session of bash, or of sh."""
        shell = next(one for one in ("/bin/bash", "/usr/bin/bash", "/bin/sh") if os.path.exists(one))
        self._show(f"{line}      (in a new session of {os.path.basename(shell)})")
        self._run((shell, "-i", "-c", line), expected)

    def _show(self, line: str) -> None:
        self.screen.result(f"\n$ {line}")

    def _run(self, argv: Sequence[str], expected: int) -> None:
        self.typed += 1
        ran = run_program(argv, environment=self.variables, timeout_seconds=TIMEOUT_SECONDS, directory=self.home)
        errors = "\n".join(line for line in _text(ran.errors).splitlines() if not _is_about_jobs(line))
        for text in (errors, _text(ran.output)):
            if text.strip():
                self.screen.result(text.rstrip())
        if ran.returncode != expected:
            self.wrong.append(f"{' '.join(argv[1:])}: {ran.trouble or 'ended with 0'}")


def run_demo(screen: Screen, host: Host, keep: str) -> int:
    """Play the script and return an exit code: 0, or 1 where a command did not end as it should."""
    began = steady_seconds()
    home = _scratch_home(host, keep)
    stage = _Stage(screen=screen, home=home, variables=_variables(host, home))
    screen.result(f"The apiary study, in the scratch home {home}. Nothing outside it is touched; no network is used.")
    make_study_index(join(home, "wheels"))
    make_tools(join(home, "apiary tools"))
    # Without a compiler there is no program to make the ready-built form of, nor one to build the source with.
    with_suite = bool(shutil.which("cc"))
    if with_suite:
        make_humscan_catalog(join(home, "catalog"))
    _write_startup_files(home)
    os.makedirs(join(home, "old/bin"))
    words = (sys.executable, "-m", "unified_shell", "index", "serve", join(home, "wheels"))
    with BackgroundProgram(words, environment=stage.variables, directory=home) as server:
        line = server.first_line(SERVER_SECONDS)
        _play(stage, line.rsplit(" at ", 1)[-1].strip(), with_suite=with_suite)
    _sum_up(stage, began)
    return 1 if stage.wrong else 0


def _play(stage: _Stage, index: str, *, with_suite: bool) -> None:
    stage.say("Look: what is there? A startup file of this account has faults, as many have")
    stage.type("look")
    stage.type("look", "swarmcast", expected=1)
    stage.type("path", "tidy", "--yes")
    stage.say("Equip: the whole study from one file, in one change")
    _write_outfit(stage.home, index, with_suite=with_suite)
    stage.type_in_new_session("cat outfit.toml")
    stage.type("outfit", "plan", expected=1)
    stage.type("outfit", "equip", "--yes")
    stage.type("outfit", "plan")
    stage.type("look", "swarmcast", expected=1)
    stage.say("Try: in new sessions, and on sample data")
    if with_suite:
        stage.type_in_new_session("humscan --version")
        stage.type("suite", "try", "humscan")
    stage.type("environment", "run", "hive", "--", "swarmcast", "recordings", "--sample")
    stage.type("package", "why", "waggle-io", "-e", "hive")
    stage.type_in_new_session("weigh-hive clover")
    stage.type("path", "list")
    stage.say("Verify: somebody breaks something; it is found, and mended")
    stage.type("verify")
    _break(stage.home)
    stage.type("verify", expected=1)
    stage.type("outfit", "plan", expected=1)
    stage.type("verify", "--mend", "--yes")
    stage.type("verify")
    stage.say("Keep: exactly this again, what was done, and taking it back")
    stage.type("outfit", "lock", "--yes")
    stage.type("journal")
    stage.type("undo", "3", "--yes")
    stage.type("undo", "2", "--yes")
    stage.type_in_new_session("weigh-hive clover", expected=127)
    stage.type("look", "weigh-hive", expected=1)


def _write_outfit(home: str, index: str, *, with_suite: bool) -> None:
    """Write the study's outfit; without a compiler it has no program in C."""
    text = OUTFIT.replace("{index}", index) + (SUITE if with_suite else "")
    with open(join(home, "outfit.toml"), "w", encoding="utf-8") as file:
        file.write(text)


def _break(home: str) -> None:
    """Edit a module of the environment, and a file that ush wrote, as an hour of trying things out does."""
    data = join(home, ".local/share/unified-shell")
    for folder, _, names in os.walk(join(data, "environments/hive/lib")):
        if folder.endswith("site-packages/hivehum") and "__init__.py" in names:
            path = join(folder, "__init__.py")
            os.chmod(path, 0o644)
            with open(path, "a", encoding="utf-8") as file:
                file.write("# tried something\n")
    with open(join(data, "wiring/session.bash"), "a", encoding="utf-8") as file:
        file.write("# tried something\n")


def _sum_up(stage: _Stage, began: float) -> None:
    screen = stage.screen
    screen.result("\n--- Summary")
    screen.result(
        f"{stage.typed} commands in {steady_seconds() - began:.0f} s: looked, equipped, tried, verified, mended, undone."
    )
    for wrong in stage.wrong:
        screen.result(f"not as it should be: {wrong}")
    screen.result(f"The scratch home is {stage.home}; to look around in it:")
    screen.result(f"  HOME={typed(stage.home)} {typed(_own_program())} look")


def _own_program() -> str:
    """Return the `ush` beside our interpreter, which need not be on PATH."""
    beside = os.path.join(os.path.dirname(sys.executable), "ush")
    return beside if os.path.exists(beside) else "ush"


def _scratch_home(host: Host, keep: str) -> Place:
    if not keep:
        return Place(tempfile.mkdtemp(prefix="ush-demo-"))
    home = Place(os.path.normpath(keep if keep.startswith("/") else join(host.working_directory, keep)))
    if os.path.exists(home) and (not os.path.isdir(home) or os.listdir(home)):
        raise Refused(f"{shown(home, host.home)} is there already", next_step=ush("demo", "--keep", "ANOTHER-FOLDER"))
    os.makedirs(home, exist_ok=True)
    return home


def _variables(host: Host, home: str) -> dict[str, str]:
    """Return the variables of a plain new account, so that the person's own settings play no part."""
    kept = {name: host.variable(name) for name in ("LANG", "LC_ALL", "NO_COLOR") if host.variable(name)}
    return {
        "HOME": home,
        "PATH": "/usr/local/bin:/usr/bin:/bin",
        "SHELL": "/bin/bash" if os.path.exists("/bin/bash") else "/bin/sh",
        "TERM": "dumb",
        "LANG": "C.UTF-8",
        "PYTHONDONTWRITEBYTECODE": "1",
        **kept,
    }


def _write_startup_files(home: str) -> None:
    files = {
        ".bashrc": "# startup file of the sample account\nalias ll='ls -l'\nexport PATH=$HOME/gone/bin:$PATH\n"
        "export PATH=$HOME/old/bin:$PATH\nexport PATH=$HOME/old/bin:$PATH\n",
        ".profile": '# login file of the sample account\n[ -n "$BASH" ] && [ -r ~/.bashrc ] && . ~/.bashrc\n',
    }
    for name, text in files.items():
        with contextlib.suppress(FileExistsError), open(join(home, name), "x", encoding="ascii") as file:
            file.write(text)


def _is_about_jobs(line: str) -> bool:
    # What an interactive shell says where it has no terminal; a person at one never sees it.
    return "cannot set terminal process group" in line or "no job control in this shell" in line


def _text(raw: bytes) -> str:
    return raw.decode("utf-8", "replace")
