"""A suite's session script: measured, written for every shell, sourced where that was chosen, and measured again."""

from pathlib import Path

import pytest

from support.account import Account
from support.suites import suite
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.places import Place
from unified_shell.core.shells.planning.script_measuring import measure_script

SETUP = r"""
HUM_HERE="$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)"; NOT_EXPORTED=1
export HUM_ROOT="$HUM_HERE" HUM_DATA="$HUM_HERE/share" HUM_MODE=loud HUM_CACHE="$HOME/.hum"
export HUM_A=1 HUM_B='two words' HUM_C="a \$x 'q' \"r\"" HUM_D=';touch y' HUM_E='*' HUM_F='~'
export PATH="$HUM_HERE/bin:$PATH" LD_LIBRARY_PATH="$HUM_HERE/lib:$LD_LIBRARY_PATH"
export PKG_CONFIG_PATH="$PKG_CONFIG_PATH:/bin" HUM_ID=$$
humset() { export HUM_MODE="$1"; }
alias hums='humscan -j 2'
shopt -s extglob
set -o noclobber
"""
FILES = {"bin/hum": '#!/bin/sh\necho "$HUM_MODE|$HUM_B|$HUM_C|$HUM_D|$HUM_E|$HUM_F|${HUM_DATA##*/}|$HUM_CACHE"\n'}
FILES |= {"lib/libhum.txt": "", "share/hum.txt": "", "etc/setup.bash": SETUP.replace('")" && pwd', '")/.." && pwd')}
SAID = "loud|two words|a $x 'q' \"r\"|;touch y|*|~|share|{home}/.hum\n"


@pytest.fixture
def scripted(account: Account) -> Account:
    suite(account, "hum", files=FILES, offers='session-script = "etc/setup.bash"')
    for name in (".zshrc", ".tcshrc", ".config/fish/config.fish"):
        account.write(name, "")
    return account


def test_ten_variables_and_a_function_of_bash_in_every_shell(scripted: Account) -> None:
    told = scripted.ush("suite", "get", "hum", "--plan").out
    assert "run three times once it is here" in told
    told = scripted.ush("suite", "get", "hum", "--yes").out
    scripted.ush("shell", "wire", "bash", "zsh", "fish", "tcsh", "--yes")
    for shell in ("bash", "zsh", "fish", "tcsh"):
        assert scripted.session("hum", shell=shell).out == SAID.format(home=scripted.home), shell
        assert scripted.session("humset quiet", shell=shell).code, "the function is what only sourcing gives"
    entries = scripted.session("echo $PATH:$LD_LIBRARY_PATH:end").out.strip().split(":")
    prefix = str(scripted.data / "suites/hum-1.0")
    assert [entries.count(f"{prefix}/{one}") for one in ("bin", "lib")] == [1, 1]
    assert "" not in entries, "an empty entry would be the current directory"
    (found,) = scripted.ush("verify", "suite:hum", "--json").json()["targets"]
    (written,) = [one for one in found["findings"] if "session script" in one["question"]]
    for only in ("function humset", "alias hums", "option extglob", "option noclobber"):
        assert only in written["answer"]
    scripted.ush("suite", "drop", "hum", "--yes")
    assert scripted.session("echo ${HUM_A-none}${LD_LIBRARY_PATH-none}").out == "nonenone\n"
    scripted.ush("undo", "--yes")
    assert scripted.session("hum").out == SAID.format(home=scripted.home)


def test_a_script_may_be_sourced_instead(scripted: Account) -> None:
    told = scripted.ush("suite", "get", "hum", "--sourced", "--yes").out
    assert "read by" in told
    assert scripted.session("humset quiet; hum").out.startswith("quiet|two words")
    assert scripted.ush("suite", "show", "hum", "--json").json()["suite"]["sourced"] is True


def test_a_script_that_changes_is_found_and_measured_again(scripted: Account) -> None:
    place = scripted.home / "opt/humtools-2.1"
    for name, text in FILES.items():
        scripted.write(f"opt/humtools-2.1/{name}", text, 0o755)
    seen = scripted.ush("suite", "adopt", place, "--plan").out
    assert "etc/setup.bash looks like its session script; it was not run" in seen
    told = scripted.ush("suite", "adopt", place, "--script", "etc/setup.bash", "--yes").out
    assert "left out: /bin on PKG_CONFIG_PATH" in told
    assert "left out: HUM_ID" in told
    assert "alias hums, function humset" in told
    with (place / "etc/setup.bash").open("a") as file:
        file.write("export HUM_MODE=quiet\n")
    (found,) = scripted.ush("verify", "suite:humtools", "--json", code=1).json()["targets"]
    assert [one["cause"] for one in found["findings"] if one["verdict"] == "fault"] == ["script-differs"]
    scripted.ush("suite", "refresh", "humtools", "--yes")
    assert scripted.session(f"{place}/bin/hum").out.startswith("quiet|")
    scripted.ush("verify", "suite:humtools")
    scripted.ush("undo", "--yes")
    assert scripted.session(f"{place}/bin/hum").out.startswith("loud|")
    with (place / "etc/setup.bash").open("a") as file:
        file.write("exit 3\n")
    assert "ended with exit code 3" in scripted.ush("suite", "refresh", "humtools", "--yes", code=4).err


SAME = {
    "sh": "export HUM_MODE=loud PATH=/x/tree/bin:$PATH; HUM_L=1\nalias hums=ls\n",
    "bash": "export HUM_MODE=loud PATH=/x/tree/bin:$PATH\nalias hums=ls\n",
    "zsh": "export HUM_MODE=loud; path=(/x/tree/bin $path)\nalias hums=ls\n",
    "fish": "set -gx HUM_MODE loud; set -gx PATH /x/tree/bin $PATH\nfunction hums; ls; end\n",
    "tcsh": "setenv HUM_MODE loud; set path = (/x/tree/bin $path:q)\nalias hums ls\n",
}


@pytest.mark.parametrize("dialect", SAME)
def test_each_dialect_is_measured_by_its_own_shell(dialect: str, tmp_path: Path) -> None:
    tree = Place(str(tmp_path / "tree"))
    (tmp_path / "tree/bin").mkdir(parents=True)
    file = tmp_path / "tree/setup"
    file.write_text(SAME[dialect].replace("/x/tree", str(tree)))
    found = measure_script(Place(str(file)), dialect, read_host(), tree=tree, target=Place("/opt/a hum"))
    assert found.trouble == ""
    assert (found.front, found.back, found.outside) == ((("PATH", "/opt/a hum/bin"),), (), ())
    assert found.values == (("HUM_MODE", "loud"),)
    assert found.growing == ("PATH",)
    assert [name for _, name in found.session_only] == ["hums"]
