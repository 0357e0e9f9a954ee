"""Faults as people have them, made for real in one home: what is broken, what is verified, what must be said of it.

`apiary_home` is what they are made in. Each fault has the cause that must be named, the targets that are verified, words that
the answer must hold, and whether `--mend` makes it right again.
"""

import os
import shutil
import subprocess
import sys
import textwrap
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, Account
from unified_shell.core.environments.trees.installer_names import installer_commands

VERSION = f"{sys.version_info.major}.{sys.version_info.minor}"
OTHER_TAG = f"cpython-3{sys.version_info.minor - 1}-{os.uname().machine}-linux-gnu"


@dataclass(frozen=True)
class Fault:
    cause: str
    targets: tuple[str, ...]
    says: str
    make: Callable[[Account], None]
    mends: bool

    @property
    def is_managed(self) -> bool:
        """Whether it is of something that is managed here, which is verified without being named."""
        named = self.targets[0].startswith(("module:", "package:")) or self.targets[0].endswith((">=2", "hum"))
        return not named and self.targets[0] not in ("PATH", "~/.bash_login")


FAULTS: dict[str, Fault] = {}


def fault(
    cause: str, *targets: str, says: str, mends: bool = False
) -> Callable[[Callable[[Account], None]], Callable[[Account], None]]:
    """Register a function that makes a fault."""

    def keep(make: Callable[[Account], None]) -> Callable[[Account], None]:
        FAULTS[make.__name__] = Fault(cause, targets, says, make, mends)
        return make

    return keep


def apiary_home(account: Account, study: Path) -> None:
    """Set up what the faults are made in: all that `ush verify` looks at, and nothing at fault."""
    account.write(".bashrc", "alias ll='ls -l'\n")
    account.tool("hum")
    account.write("scales/weigh", '#!/bin/sh\n[ "$1" = --version ] && echo "weigh 1.4"\n', 0o755)
    account.write("suite.sh", f"export SUITE_HOME={account.home}\n")
    (account.home / "own/bin").mkdir(parents=True)
    (account.home / "own/lib").symlink_to(Path(BASE_PYTHON).parent.parent / "lib")
    shutil.copy(BASE_PYTHON, account.home / f"own/bin/python{VERSION}")
    (account.home / "modules").mkdir()
    account.ush("index", "add", "apiary", study, "--yes")
    account.ush("path", "add", account.home / "tools", "--yes")
    account.ush("path", "add", account.home / "modules", "--variable", "PYTHONPATH", "--yes")
    account.ush("variable", "add", "HIVE_DATA", account.home / "data", "--yes")
    account.ush("shell", "wire", "--script", account.home / "suite.sh", "--yes")
    account.ush("command", "prefer", "weigh", account.home / "scales/weigh", "--yes")
    account.tool("scripted", folder="opt/scripted-1.0/bin")
    account.write("opt/scripted-1.0/setup.sh", "export SCRIPTED_HOME=/here\n")
    account.ush("suite", "adopt", account.home / "opt/scripted-1.0", "--script", "setup.sh", "--yes")
    account.ush("interpreter", "adopt", account.home / f"own/bin/python{VERSION}", "--name", "own", "--yes")
    account.new_environment()
    account.new_environment("field")
    account.ush("package", "get", "swarmcast", "-e", "hive", "--yes")
    account.ush("command", "get", "hivehum", "--yes")


def site(account: Account, name: str = "hive") -> Path:
    return account.environment(name) / f"lib/python{VERSION}/site-packages"


def at_end(account: Account, line: str) -> None:
    with (account.home / ".bashrc").open("a") as file:
        file.write(line + "\n")


def sting(account: Account, code: str) -> None:
    """Put a module of nobody's into the environment."""
    account.write(str((site(account) / "sting.py").relative_to(account.home)), textwrap.dedent(code))


def metadata(account: Account, line: str) -> None:
    path = site(account) / "swarmcast-1.2.0.dist-info/METADATA"
    path.write_text(path.read_text().replace("Name: swarmcast\n", f"Name: swarmcast\n{line}\n"))


def compiled(source: str, *words: object) -> None:
    argv = ["cc", "-x", "c", "-", "-x", "none", *map(str, words)]
    subprocess.run(argv, input=source.encode(), check=True)


@fault("directory-absent", "sessions", "~/tools", says="~/tools-old is beside it")
def a_wired_directory_is_renamed(account: Account) -> None:
    (account.home / "tools").rename(account.home / "tools-old")


@fault("directory-is-file", "~/tools", says="it is a file")
def a_file_stands_where_a_wired_directory_was(account: Account) -> None:
    shutil.rmtree(account.home / "tools")
    account.write("tools", "")


@fault("writable-by-others", "~/tools", says="anybody on this machine")
def others_may_write_into_a_wired_directory(account: Account) -> None:
    (account.home / "tools").chmod(0o777)


@fault("bad-entry", "PATH", says="~/gone, is not there")
def an_entry_by_hand_leads_nowhere(account: Account) -> None:
    at_end(account, 'export PATH="$PATH:$HOME/gone"')


@fault("entry-lost", "~/tools", says="~/.bashrc, line")
def a_line_below_sets_the_path_without_it(account: Account) -> None:
    at_end(account, "export PATH=/usr/bin:/bin")


@fault("entry-twice", "~/modules", says="2 times: ~/.bashrc, line")
def a_line_below_adds_it_once_more(account: Account) -> None:
    account.ush("shell", "unwire", "--script", account.home / "suite.sh", "--yes")
    at_end(account, 'export PYTHONPATH="$HOME/modules:$PYTHONPATH"')


@fault("entry-behind", "~/tools", says="puts ~/old/bin in front again")
def a_line_below_puts_another_in_front(account: Account) -> None:
    account.tool("hum", "old", "old/bin")
    at_end(account, 'export PATH="$HOME/old/bin:$PATH"')


@fault("not-hooked-up", "sessions", says="no startup file that it reads", mends=True)
def the_hook_up_was_taken_out(account: Account) -> None:
    account.write(".bashrc", "alias ll='ls -l'\n")


@fault("hook-up-not-reached", "sessions", says="~/.bashrc, line 1, leaves the file before the hook-up")
def a_return_above_the_hook_up(account: Account) -> None:
    text = (account.home / ".bashrc").read_text()
    account.write(".bashrc", f"return\n{text}")


@fault("session-file-differs", "sessions", says="was changed or is gone", mends=True)
def the_session_file_is_gone(account: Account) -> None:
    (account.data / "wiring/session.bash").unlink()


@fault("startup-syntax", "sessions", says="~/.bashrc")
def a_startup_file_with_an_open_if(account: Account) -> None:
    at_end(account, "if true; then")


@fault("session-fails", "sessions", says="a startup file ends the session")
def a_startup_file_that_ends_the_session(account: Account) -> None:
    at_end(account, "exit 3")


@fault("file-not-read", "~/.bash_login", says="another file of the same shell is read instead")
def a_startup_file_behind_another(account: Account) -> None:
    account.write(".bash_profile", ". ~/.profile\n")
    account.write(".bash_login", "umask 022\n")


@fault("script-absent", "~/suite.sh", says="does not exist")
def a_session_script_is_gone(account: Account) -> None:
    (account.home / "suite.sh").unlink()


@fault("script-fails", "~/suite.sh", says="not found")
def a_session_script_calls_what_is_not_there(account: Account) -> None:
    account.write("suite.sh", "export SUITE_HOME=1\nno-such-hum\n")


@fault("script-differs", "suite:scripted", says="it changes other things now: SCRIPTED_HOME")
def a_suites_script_sets_something_else(account: Account) -> None:
    account.write("opt/scripted-1.0/setup.sh", "export SCRIPTED_HOME=/elsewhere\n")


@fault("script-not-read", "~/suite.sh", says="has no SUITE_HOME")
def what_a_session_script_sets_is_unset(account: Account) -> None:
    at_end(account, "unset SUITE_HOME")


@fault("variable-differs", "variable:HIVE_DATA", says="~/.bashrc, line")
def a_line_below_sets_a_wired_variable(account: Account) -> None:
    at_end(account, "export HIVE_DATA=/elsewhere")


@fault("link-dangles", "command:weigh", says="~/scales/weigh is gone")
def what_a_preferred_command_leads_to_is_gone(account: Account) -> None:
    (account.home / "scales/weigh").unlink()


@fault("not-found", "command:weigh", says="its link is gone", mends=True)
def the_link_of_a_preferred_command_is_gone(account: Account) -> None:
    (account.data / "commands/weigh").unlink()


@fault("fails-at-start", "command:weigh", says="exit code 1")
def a_preferred_command_fails(account: Account) -> None:
    account.write("scales/weigh", "#!/bin/sh\n# --version\nexit 1\n", 0o755)


@fault("fails-at-start", "command:weigh", says="it says:")
def a_preferred_command_says_not_found_and_ends_well(account: Account) -> None:
    account.write("scales/weigh", "#!/bin/sh\n# --version\nno-such-hum\nexit 0\n", 0o755)


@fault("version-outside", "command:weigh>=2", says="it is 1.4")
def a_command_is_older_than_asked(account: Account) -> None:
    del account


@fault("shadowed", "command:weigh", says="~/.bashrc")
def another_directory_answers_to_a_preferred_name(account: Account) -> None:
    account.tool("weigh", "other", "old/bin")
    at_end(account, 'export PATH="$HOME/old/bin:$PATH"')


@fault("alias-answers", "command:weigh", says="an alias answers: echo no")
def an_alias_hides_a_preferred_command(account: Account) -> None:
    at_end(account, "alias weigh='echo no'")


@fault("not-on-path", "command:hum", says="does not read the wiring")
def a_command_that_is_here_and_on_no_path(account: Account) -> None:
    account.write(".bashrc", "")


@fault("not-executable", "~/tools/hum", says="has no execute bit")
def a_tool_without_execute_bit(account: Account) -> None:
    (account.home / "tools/hum").chmod(0o644)


@fault("no-program", "~/tools/hum", says="empty file")
def an_empty_tool(account: Account) -> None:
    account.write("tools/hum", "", 0o755)


@fault("cut-short", "~/tools/hum", says="is cut short")
def a_tool_that_was_copied_by_half(account: Account) -> None:
    account.write("tools/hum", Path("/bin/ls").read_bytes()[:30_000], 0o755)


@fault("interpreter-absent", "~/tools/hum", says="needs /opt/none/python")
def a_script_whose_interpreter_is_gone(account: Account) -> None:
    account.write("tools/hum", "#!/opt/none/python\n", 0o755)


@fault("interpreter-absent", "~/tools/hum", says="carriage return")
def a_script_with_line_ends_of_another_system(account: Account) -> None:
    account.write("tools/hum", "#!/bin/sh\r\necho hum\r\n", 0o755)


@fault("library-absent", "~/tools/hum", says="libqueen.so.5 is not on this machine")
def a_program_whose_library_is_gone(account: Account) -> None:
    library = account.home / "libqueen.so"
    compiled("int q(void){return 0;}", "-shared", "-fPIC", "-Wl,-soname,libqueen.so.5", "-o", library)
    compiled("int q(void); int main(void){return q();}", "-o", account.home / "tools/hum", library)


@fault("system-too-old", "~/tools/hum", says="made for a newer system")
def a_program_for_a_newer_library(account: Account) -> None:
    library = account.home / "lib/libqueen.so.5"
    library.parent.mkdir()
    versions = account.write("versions", "HUM_1.0 { local: *; };\nHUM_2.0 { global: q; } HUM_1.0;\n")
    build = ["-shared", "-fPIC", "-Wl,-soname,libqueen.so.5", "-o", library]
    compiled("int q(void){return 0;}", *build, f"-Wl,--version-script={versions}")
    link = ["-o", account.home / "tools/hum", library, f"-Wl,-rpath,{library.parent}"]
    compiled("int q(void); int main(void){return q();}", *link)
    account.write("versions", "HUM_1.0 { global: q; };\n")
    compiled("int q(void){return 0;}", *build, f"-Wl,--version-script={versions}")


@fault("other-machine", "~/tools/hum", says="this machine is linux")
def a_program_for_another_machine(account: Account) -> None:
    program = bytearray(Path("/bin/ls").read_bytes())
    program[18] = 8  # MIPS
    account.write("tools/hum", bytes(program), 0o755)


@fault("installer-elsewhere", "sessions", says="installs into /usr/bin/python3; python3 is ~/tools/python3")
def an_installer_of_another_python(account: Account) -> None:
    (account.home / "tools/python3").symlink_to(account.home / f"own/bin/python{VERSION}")
    asked = "import site; print(*site.getsitepackages(), sep='\\n')"
    folders = subprocess.run([BASE_PYTHON, "-c", asked], capture_output=True, text=True, check=True).stdout.split()
    commands = installer_commands(folders)
    if not commands:
        pytest.skip("the packages of this Python were put there by its system alone: nothing of it is an installer")
    account.write(f"tools/{commands[0]}", "#!/usr/bin/python3\n", 0o755)


@fault("base-gone", "interpreter:own", says="does not exist")
def an_adopted_interpreter_is_gone(account: Account) -> None:
    shutil.rmtree(account.home / "own/bin")


@fault("base-changed", "interpreter:own", says="now, not 3.1.9")
def an_adopted_interpreter_was_another_version(account: Account) -> None:
    path = account.data / "interpreters/adopted.toml"
    path.write_text(path.read_text().replace(sys.version.split()[0], "3.1.9"))


@fault("contents-unreadable", "environment:hive", says="cannot be read")
def an_environment_whose_file_is_torn(account: Account) -> None:
    (account.environment() / "environment.json").write_text("{")


@fault("files-changed", "environment:hive", says="edited", mends=True)
def a_file_of_a_package_was_edited(account: Account) -> None:
    path = site(account) / "waggle/__init__.py"
    path.unlink()
    path.write_text("edited = True\n")


@fault("not-installed", "environment:hive", says="it is not there", mends=True)
def a_package_was_deleted(account: Account) -> None:
    shutil.rmtree(site(account) / "combgraph-1.0.2.dist-info")
    shutil.rmtree(site(account) / "combgraph")


@fault("not-installed", "command:hivehum", says="it is not there", mends=True)
def what_a_got_command_needs_was_deleted(account: Account) -> None:
    place = site(account, ".hivehum")
    shutil.rmtree(place / "waggle_io-0.9.1.dist-info")
    shutil.rmtree(place / "waggle")


@fault("not-recorded", "environment:hive", says="was installed by something else")
def a_package_that_something_else_installed(account: Account) -> None:
    info = site(account) / "drone-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: drone\nVersion: 1.0\n")


@fault("dependency-absent", "package:swarmcast@hive", says="it is not installed", mends=True)
def a_requirement_that_is_not_there(account: Account) -> None:
    metadata(account, "Requires-Dist: honey")


@fault("dependency-version", "package:swarmcast@hive", says="combgraph 1.0.2 is installed", mends=True)
def a_requirement_of_a_newer_version(account: Account) -> None:
    metadata(account, "Requires-Dist: combgraph>=99")


@fault("python-outside", "package:swarmcast@hive", says="requires Python <3", mends=True)
def a_package_for_another_python(account: Account) -> None:
    metadata(account, "Requires-Python: <3")


@fault("module-absent", "module:queen@hive", says="hive does not have it")
def a_module_that_nobody_has(account: Account) -> None:
    del account


@fault("module-elsewhere", "module:waggle@field", says="in environment hive, from waggle-io, not in field")
def a_module_of_another_environment(account: Account) -> None:
    del account


@fault("other-import-name", "module:waggle-io@hive", says="the import name of waggle-io is waggle")
def a_project_name_that_is_no_module(account: Account) -> None:
    del account


@fault("built-for-other-version", "module:sting@hive", says="_sting was built for CPython 3.")
def a_compiled_part_for_another_version(account: Account) -> None:
    sting(account, "import _sting\n")
    (site(account) / f"_sting.{OTHER_TAG}.so").write_bytes(Path("/bin/ls").read_bytes()[:4096])


@fault("library-absent", "module:sting@hive", says="needs libqueen.so.5, which no searched directory has")
def a_module_whose_library_is_gone(account: Account) -> None:
    sting(
        account,
        "import ctypes\ntry:\n    ctypes.CDLL('libqueen.so.5')\nexcept OSError as e:\n    raise ImportError(e)\n",
    )


@fault("module-shadowed", "~/modules", says="its random is imported instead")
def a_file_called_as_a_standard_module(account: Account) -> None:
    account.write("modules/random.py", "")


@fault("module-fails", "module:sting@hive", says="no bees")
def a_module_that_raises(account: Account) -> None:
    sting(account, "raise RuntimeError('no bees')\n")


@fault("limit-exceeded", "module:sting@hive", says="printed more than 256 MB")
def a_module_that_floods(account: Account) -> None:
    sting(account, "import sys\nwhile True:\n    sys.stdout.write('x' * 1_000_000)\n")


@fault("module-crashes", "module:sting@hive", says="SIGABRT")
def a_module_that_takes_its_process_down(account: Account) -> None:
    sting(account, "import os\nos.abort()\n")


@fault("two-libraries", "module:sting@hive", says="libqueen.so.2")
def a_module_that_loads_two_versions_of_a_library(account: Account) -> None:
    for number in (1, 2):
        compiled("int q;", "-shared", "-o", account.home / f"libqueen.so.{number}")
    places = [f"{account.home}/libqueen.so.{number}" for number in (1, 2)]
    sting(account, f"import ctypes\nkept = [ctypes.CDLL(one) for one in {places}]\n")


@fault("launcher-absent", "environment:hive", says="its launcher is not there", mends=True)
def a_launcher_was_deleted(account: Account) -> None:
    (account.environment() / "bin/swarmcast").unlink()


@fault("launcher-foreign", "environment:hive", says="starts another interpreter: /usr/bin/python3", mends=True)
def a_launcher_was_pointed_elsewhere(account: Account) -> None:
    path = account.environment() / "bin/swarmcast"
    path.unlink()
    path.write_text("#!/usr/bin/python3\n")
    path.chmod(0o755)


@fault("entry-point-absent", "environment:hive", says="has no attribute 'main'", mends=True)
def a_command_whose_function_is_gone(account: Account) -> None:
    path = site(account) / "swarmcast/command.py"
    path.unlink()
    path.write_text("")


@fault("path-file-fails", "environment:hive", says="Error processing line 1")
def a_path_file_that_fails(account: Account) -> None:
    (site(account) / "hive.pth").write_text("import no_such_hum\n")


@fault("offer-dangles", "~/.local/share/jupyter/kernels/ush-gone/kernel.json", says="is gone", mends=True)
def a_notebook_kernel_of_an_environment_that_is_gone(account: Account) -> None:
    account.write(
        ".local/share/jupyter/kernels/ush-gone/kernel.json", '{"argv": ["/gone/bin/python"], "display_name": "gone"}'
    )


@fault("licence-not-allowed", "environment:hive", says="MIT")
def a_licence_that_is_not_allowed(account: Account) -> None:
    a_package_that_something_else_installed(account)
    with (site(account) / "drone-1.0.dist-info/METADATA").open("a") as file:
        file.write("License-Expression: MIT OR GPL-3.0-only\n")
    account.write(".config/unified-shell/config.toml", '[licences]\nallowed = ["Apache-2.0"]\n')
