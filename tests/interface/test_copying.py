"""Environments that something else made, or that are not to be changed: adopted, protected, copied."""

import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, Account, visible_state
from support.digests import digest_of_tree
from support.hand_made import VERSION, hand_made
from support.sources import source
from support.suggestions import step_text
from support.wheels import wheel
from unified_shell.core.commands.desktop import parse_desktop_entry
from unified_shell.core.environments.trees.installer_names import installer_commands, installer_projects


@pytest.fixture
def made(tmp_path: Path) -> Path:
    """Made elsewhere: distributions with a command and a data file, and files that nobody records."""
    return _made_at(tmp_path / "far away", tmp_path)


def _made_at(place: Path, tmp_path: Path) -> Path:
    wheels = [
        wheel(
            tmp_path / "w",
            "hivehum",
            requires=["combgraph"],
            commands=["hum = hivehum:main"],
            files={"hivehum.py": b"def main():\n    print('hums')\n"},
        ),
        wheel(
            tmp_path / "w",
            "combgraph",
            files={
                "combgraph/__init__.py": b"",
                "combgraph-1.0.data/data/share/comb.txt": b"wax",
                "combgraph-1.0.data/scripts/comb": b"#!python\nprint('comb')\n",
            },
        ),
    ]
    site = f"lib/python{VERSION}/site-packages"
    extras = {
        f"{site}/loose.py": "where = __file__\n",
        f"{site}/more.pth": f"{place}/more\n",
        "more/further.py": "where = __file__\n",
        "bin/own-tool": f"#!{place}/bin/python\nimport combgraph, sys\nprint(sys.prefix)\n",
    }
    made = hand_made(place, wheels, extras)
    (made / "bin/own-tool").chmod(0o755)
    return made


def test_a_copy_stands_alone_and_its_source_is_untouched(account: Account, made: Path) -> None:
    before = digest_of_tree(str(made))
    done = account.ush("environment", "copy", made, "field", "--yes")
    assert "2 distributions" in done.out
    assert "loose.py" in done.out
    assert "INSTALLER" not in done.out
    assert digest_of_tree(str(made)) == before
    made.rename(made.with_name("hidden"))
    account.ush("verify", "field")
    prefix = account.environment("field")
    for command, said in [("hum", "hums"), ("comb", "comb"), ("own-tool", str(prefix))]:
        assert (
            subprocess.run([prefix / "bin" / command], capture_output=True, text=True, check=True).stdout
            == f"{said}\n"
        )
    assert (prefix / "share/comb.txt").read_text() == "wax"
    where = "import loose, further; print(loose.where); print(further.where)"
    found = account.ush("environment", "run", "field", "--", "python", "-c", where).out.splitlines()
    assert all(one.startswith(str(prefix)) for one in found)
    left = subprocess.run(["grep", "-rlF", str(made), f"{prefix}/"], capture_output=True, text=True, check=False)
    assert left.stdout == ""
    account.ush("undo", "--yes")
    assert not prefix.exists()


def test_an_adopted_one_is_used_copied_and_forgotten_but_never_changed(account: Account, made: Path) -> None:
    before, account_before = digest_of_tree(str(made)), visible_state(account.home)
    account.ush("environment", "adopt", made, "--name", "old", "--yes")
    assert (
        account.ush("environment", "run", "old", "--", "hum", more={"PYTHONDONTWRITEBYTECODE": "1"}).out == "hums\n"
    )
    account.ush("verify", "old")
    shown = account.ush("environment", "show", "old").out
    assert "not made by ush" in shown
    assert "a person" in account.ush("package", "list", "-e", "old").out
    for words in (
        ("package", "get", "nectar"),
        ("package", "drop", "hivehum"),
        ("path", "add", "/tmp"),
        ("variable", "add", "X", "1"),
    ):
        refused = account.ush(*words, "-e", "old", "--yes", code=3)
        assert "environment copy old NEW" in refused.err
    assert "is always protected" in account.ush("environment", "protect", "old", "--yes", code=3).err
    account.ush("environment", "copy", "old", "new", "--yes")
    account.ush("index", "add", "own", made.parent / "w", "--yes")
    wheel(made.parent / "w", "nectar")
    got = account.ush("package", "get", "nectar", "-e", "new", "--yes")
    assert "2 unchanged" in got.out, "what nothing requires was asked for by somebody"
    account.ush("package", "drop", "hivehum", "-e", "new", "--yes")
    assert not (account.environment("new") / "bin/hum").exists()
    assert (made / "bin/hum").exists()
    account.ush("environment", "drop", "old", "--yes")
    assert digest_of_tree(str(made)) == before
    account.ush("undo", "1", "--through", "--yes", code=None)
    for _ in range(9):
        if account.ush("undo", "--yes", code=None).code:
            break
    assert account_before.keys() <= visible_state(account.home).keys()


@pytest.mark.parametrize("top", ["", "/dev/shm"], ids=["near", "on another file system"])
def test_an_adopted_one_is_taken_charge_of_where_that_is_asked_for(
    account: Account, tmp_path: Path, top: str
) -> None:
    with tempfile.TemporaryDirectory(dir=top or tmp_path) as there:
        _taken_charge_of(account, _made_at(Path(there) / "far away", tmp_path), tmp_path / "w")


def _taken_charge_of(account: Account, place: Path, wheels: Path) -> None:
    before = digest_of_tree(str(place))
    account.ush("environment", "adopt", place, "--name", "old", "--yes")
    plan = account.ush("environment", "unprotect", "old", "--plan").out
    assert "becomes a link" in plan
    assert "bin/own-tool" in plan
    assert digest_of_tree(str(place)) == before
    account.ush("environment", "unprotect", "old", "--yes")
    assert place.resolve() == account.environment("old").resolve()
    account.ush("index", "add", "own", wheels, "--yes")
    wheel(wheels, "nectar")
    account.ush("package", "get", "nectar", "-e", place, "--yes")
    account.ush("verify", "old")
    for command, said in [("hum", "hums"), ("own-tool", str(account.environment("old")))]:
        assert account.run([str(place / "bin" / command)]).out == f"{said}\n", "by its old place too"
    assert "already" in account.ush("environment", "adopt", place, "--name", "again", "--yes", code=2).err
    account.ush("environment", "drop", "old", "--yes")
    assert not os.path.lexists(place)
    account.ush("undo", "--yes")
    assert (place / "bin/hum").exists()
    assert "later changes build on" in account.ush("undo", "2", "--yes", code=3).err
    undone = account.ush("undo", "2", "--through", "--yes").out
    assert digest_of_tree(str(place)) == before, "the folder as it was"
    account.ush("undo", re.findall(r"ush undo (\d+)", undone)[-1], "--yes")
    assert place.resolve() == account.environment("old").resolve(), "done again"
    account.ush("undo", "2", "--through", "--yes")
    assert digest_of_tree(str(place)) == before


def test_a_protected_one_refuses_until_it_is_said_otherwise(apiary: Account) -> None:
    apiary.ush("package", "get", "hivehum", "-e", "hive", "--yes")
    apiary.ush("environment", "protect", "hive", "--yes")
    before = visible_state(apiary.home)
    for words in (
        ("package", "get", "combgraph", "-e", "hive"),
        ("package", "refresh", "-e", "hive"),
        ("environment", "drop", "hive"),
    ):
        refused = apiary.ush(*words, "--yes", code=3)
        assert "unprotect hive" in refused.err
    assert visible_state(apiary.home) == before
    apiary.ush("environment", "copy", "hive", "mine", "--yes")
    apiary.ush("package", "get", "swarmcast", "-e", "mine", "--yes")
    apiary.ush("verify", "mine")
    same = f"lib/python{VERSION}/site-packages/hivehum/__init__.py"
    one, two = (apiary.environment(name) / same for name in ("hive", "mine"))
    assert os.path.samefile(one, two) or one.read_bytes() == two.read_bytes()
    apiary.ush("environment", "copy", "hive", "own", "--own-files", "--yes")
    assert not os.path.samefile(one, apiary.environment("own") / same)
    apiary.ush("environment", "unprotect", "hive", "--yes")
    assert "is not protected" in apiary.ush("environment", "unprotect", "hive", "--yes").out
    apiary.ush("package", "get", "combgraph", "-e", "hive", "--yes")


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("copy", "nothing-here", "new"), 2, "no environment named"),
        (("copy", "/usr/share", "new"), 2, "neither an environment nor an interpreter"),
        (("adopt", "/usr/share"), 2, "is not an environment"),
        (("copy", "hive", "hive"), 3, "there is an environment named hive"),
        (("copy", "hive", "a/b"), 2, "cannot be an environment's name"),
    ],
)
def test_what_cannot_be_copied_is_told(account: Account, words: tuple[str, ...], code: int, said: str) -> None:
    account.new_environment()
    before = visible_state(account.home)
    assert said in account.ush("environment", *words, "--yes", code=code).err
    assert visible_state(account.home) == before


def test_what_was_built_here_is_copied_too(account: Account, tmp_path: Path) -> None:
    account.ush("index", "add", "own", tmp_path, "--yes")
    source(tmp_path, "mite-count")
    account.new_environment()
    account.ush("package", "get", "mite-count", "--allow-build", "mite-count", "-e", "hive", "--yes")
    account.ush("environment", "copy", "hive", "mine", "--yes")
    account.ush("verify", "mine")


def test_what_is_written_through_one_is_noticed_and_mended_in_all(apiary: Account) -> None:
    apiary.ush("package", "get", "hivehum", "-e", "hive", "--yes")
    apiary.ush("environment", "copy", "hive", "mine", "--yes")
    same = f"lib/python{VERSION}/site-packages/waggle/__init__.py"
    one, two = (apiary.environment(name) / same for name in ("hive", "mine"))
    assert os.path.samefile(one, two)
    good = one.read_bytes()
    with open(one, "ab") as file:
        file.write(b"# mine\n")
    found = apiary.ush("store", "show", "--json", code=1).json()["items"]
    assert [(sorted(row["used_by"]), row["damaged"]) for row in found if row["damaged"]] == [
        (["hive", "mine"], ["waggle/__init__.py"])
    ]
    apiary.new_environment("third")
    apiary.ush("package", "get", "waggle-io", "-e", "third", "--yes")
    assert (apiary.environment("third") / same).read_bytes() == good, "it is not shared on"
    with open(apiary.environment("third") / same, "ab") as file:
        file.write(b"# mine\n")
    done = apiary.ush("store", "mend", "--yes")
    assert "environment third" in done.out
    assert (apiary.environment("third") / same).read_bytes() == good
    stored = next(apiary.data.glob("store/wheels/*/files/waggle/__init__.py"))
    kept = stored.stat()
    stored.write_bytes(bytes([good[0] ^ 1]) + good[1:])
    os.utime(stored, ns=(kept.st_atime_ns, kept.st_mtime_ns))
    apiary.ush("store", "show")
    assert "waggle/__init__.py" in apiary.ush("store", "show", "--thorough", code=1).out
    apiary.ush("store", "mend", "--thorough", "--yes")
    apiary.ush("store", "show", "--thorough")


def test_the_store_lets_go_of_what_nothing_uses(apiary: Account) -> None:
    apiary.ush("package", "get", "hivehum", "-e", "hive", "--yes")
    assert "Nothing to remove" in apiary.ush("store", "sweep", "--yes").out
    shutil.rmtree(apiary.data / "environments")
    shutil.rmtree(apiary.data / "editions")
    shutil.rmtree(apiary.data / "retired", ignore_errors=True)
    assert "hivehum" in apiary.ush("store", "sweep", "--plan").out
    assert apiary.ush("store", "sweep", code=3).err
    assert "are free again" in apiary.ush("store", "sweep", "--yes").out
    assert "empty" in apiary.ush("store", "show").out
    assert list((apiary.data / "staging").iterdir()) == []


def test_an_environment_is_offered_to_notebooks_and_the_desktop(account: Account, tmp_path: Path) -> None:
    account.ush("index", "add", "own", tmp_path, "--yes")
    wheel(tmp_path, "ipykernel", files={"ipykernel_launcher.py": b"import sys\nprint(sys.prefix, sys.argv)\n"})
    wheel(
        tmp_path, "humview", commands=["humview = humview:main"], files={"humview.py": b"def main(): print('seen')\n"}
    )
    name = "a b'$x`y\"%"
    account.ush("environment", "new", name, "--interpreter", BASE_PYTHON, "--yes")
    assert "package get ipykernel" in account.ush("environment", "offer", name, "--notebook", "--yes", code=4).err
    account.ush("package", "get", "ipykernel", "humview", "-e", name, "--yes")
    before = visible_state(account.home)
    account.ush("environment", "offer", name, "--notebook", "--yes")
    account.ush("environment", "offer", name, "--application", "humview", "--yes")
    again = account.ush("environment", "offer", name, "--notebook", "--yes").out
    assert again.endswith("is offered as a notebook kernel already.\n"), "and nothing is promised of afterwards"
    assert account.ush("environment", "offer", name, "--application", "humvew", "--yes", code=2).err
    (kernel,) = account.home.glob(".local/share/jupyter/kernels/*/kernel.json")
    told = json.loads(kernel.read_text())
    words = [one.replace("{connection_file}", "/x") for one in told["argv"]]
    assert subprocess.run(words, capture_output=True, text=True, check=True).stdout.startswith(
        str(account.environment(name))
    )
    (entry,) = account.home.glob(".local/share/applications/*.desktop")
    found = parse_desktop_entry(entry.read_text())
    # As the specification reads it: the value's own escapes, then those inside the quotes, then the fields.
    exec_line = found["Exec"].replace("\\\\", "\\")
    program = re.sub(r"\\(.)", r"\1", exec_line[1:-1]).replace("%%", "%")
    assert subprocess.run([program], capture_output=True, text=True, check=True).stdout == "seen\n"
    assert found["Terminal"] == "true"
    account.ush("environment", "drop", name, "--yes")
    assert not kernel.exists()
    assert not entry.exists()
    account.ush("undo", "--yes")
    assert kernel.exists()
    account.ush("environment", "offer", name, "--withdraw", "--yes")
    assert visible_state(account.home) == before


def test_an_installers_name_says_what_to_type(account: Account, tmp_path: Path) -> None:
    names = installer_commands([str(Path(BASE_PYTHON).parent.parent / f"lib/python{VERSION}/site-packages")])
    prefix = account.new_environment()
    for name in names:
        done = account.run([str(prefix / "bin" / name), "install", "hivehum"])
        assert done.code == 2
        assert "ush package get NAME -e hive" in done.err
    account.ush("index", "add", "own", tmp_path, "--yes")
    wheel(
        tmp_path,
        "collector",
        commands=["collect = collector:main"],
        files={"collector.py": b"def main(): print('own')\n"},
    )
    site = tmp_path / "site"
    assert installer_commands([str(site)]) == ()
    for path in tmp_path.glob("*.whl"):
        with zipfile.ZipFile(path) as archive:
            archive.extractall(site)
    (site / "collector-1.0.dist-info/INSTALLER").write_text("collector\n")
    assert installer_commands([str(site)]) == ("collect",)
    assert installer_projects([str(site)]) == ("collector",)


def test_a_name_that_was_dropped_can_be_had_again(apiary: Account) -> None:
    apiary.ush("package", "get", "combgraph", "-e", "hive", "--yes")
    apiary.ush("environment", "copy", "hive", "mine", "--yes")
    apiary.ush("environment", "drop", "hive", "--yes")
    apiary.ush("environment", "copy", "mine", "hive", "--yes")
    apiary.ush("verify", "hive")
    apiary.ush("undo", "--yes")
    apiary.ush("undo", "--yes")
    apiary.ush("verify", "hive")


def test_an_environment_whose_interpreter_is_gone_is_told_and_made_anew_on_another(apiary: Account) -> None:
    base = apiary.home / "odd/bin/python3"
    base.parent.mkdir(parents=True)
    (apiary.home / "odd/lib").symlink_to(Path(BASE_PYTHON).parent.parent / "lib")
    shutil.copy(BASE_PYTHON, base)
    apiary.ush("environment", "new", "study", "--interpreter", base, "--yes")
    apiary.ush("package", "get", "swarmcast", 'combgraph<9; python_version>="3"', "-e", "study", "--yes")
    base.unlink()
    assert "which is gone" in apiary.ush("environment", "list").out
    apiary.ush("environment", "run", "study", "--", "python", code=4)
    faults = apiary.ush("verify", "study", "--json", code=1).json()["targets"][0]["findings"]
    remedies = [step_text(one["remedy"]) for one in faults]
    remedy = next(one for one in remedies if "environment copy" in one)
    words = (
        remedy.split("   ")[0].removeprefix("ush ").replace("--interpreter 3", f"--interpreter {BASE_PYTHON}").split()
    )
    apiary.ush(*words, "--yes")
    before, after = (
        {one["name"]: one["requested"] for one in apiary.ush("package", "list", "-e", name, "--json").json()["items"]}
        for name in ("study", "study-anew")
    )
    assert before == after
    apiary.ush("verify", "study-anew")
    state = visible_state(apiary.home)
    apiary.ush("environment", "rename", "study-anew", "the queen's", "--yes")
    apiary.ush("verify", "the queen's")
    assert not apiary.environment("study-anew").exists()
    apiary.ush("undo", "--yes")
    assert visible_state(apiary.home) == state


def test_a_copy_on_another_version_is_solved_anew_with_what_was_requested(apiary: Account) -> None:
    others = [
        one
        for one in sorted(Path(BASE_PYTHON).parents[2].glob("3.*/bin/python3"))
        if sys.version_info[:2] != tuple(map(int, one.parents[1].name.split(".")[:2]))
        and tuple(map(int, one.parents[1].name.split(".")[:2])) >= (3, 9)
    ]
    if not others:
        pytest.skip("one Python only")
    apiary.ush("package", "get", "swarmcast>=1", "-e", "hive", "--yes")
    told = apiary.ush("environment", "copy", "hive", "other", "--interpreter", others[-1], "--yes").out
    assert "was Python" in told
    requested = [one["requested"] for one in apiary.ush("package", "list", "-e", "other", "--json").json()["items"]]
    assert ["swarmcast>=1"] in requested
    apiary.ush("verify", "other")


def test_an_adopted_ones_versioned_launcher_is_no_fault_and_a_missing_one_is(
    account: Account, tmp_path: Path
) -> None:
    commands = ["hum = combs:main", "hum3.9 = combs:main", "buzz = combs:main"]
    made = wheel(tmp_path / "w", "combs", commands=commands, files={"combs.py": b"def main(): pass\n"})
    place = hand_made(tmp_path / "old", [made])
    (place / "bin/hum3.9").rename(place / f"bin/hum{VERSION}")
    record = next(place.glob("lib/python*/site-packages/combs-1.0.dist-info/RECORD"))
    record.write_text(record.read_text().replace("bin/hum3.9,", f"bin/hum{VERSION},"))
    account.ush("environment", "adopt", place, "--name", "old", "--yes")
    assert "its installer adds the version" in account.ush("verify", "old", "--all").out
    (place / "bin/buzz").unlink()
    assert "its launcher is not there" in account.ush("verify", "old", code=1).out
    place.rename(tmp_path / "moved")
    assert "absent" in account.ush("environment", "list").out
    refused = account.ush("environment", "run", "old", "--", "hum", code=4).err
    assert "is no longer at" in refused
    account.ush("environment", "drop", "old", "--yes")
    account.ush("environment", "adopt", tmp_path / "moved", "--name", "old", "--yes")
    account.ush("environment", "run", "old", "--", "python", "-c", "import combs")
