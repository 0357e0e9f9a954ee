"""What the documents say is run as it stands."""

import ast
import json
import os
import re
import runpy
import shlex
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import click
import jsonschema  # type: ignore[import-untyped]  # it has no types of its own
import pytest

from support.account import Account
from support.suggestions import trouble_of
from support.typist import lines_of, type_line
from unified_shell.cli.main import ush
from unified_shell.cli.manual.help_text import examples
from unified_shell.core.catalogs.check_tables import parse_checks
from unified_shell.core.changes.plan import About
from unified_shell.core.verification.targets.target import Kind
from unified_shell.demo.study import make_study_index

TOP = Path(__file__).parent.parent


def test_the_library_s_example_runs(tmp_path: Path) -> None:
    (example,) = re.findall(r"```python\n(.*?)```", (TOP / "docs/library.md").read_text(), re.DOTALL)
    make_study_index(str(tmp_path / "wheels"))
    variables = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin", "SHELL": "/bin/bash", "LANG": "C.UTF-8"}
    done = subprocess.run(
        [sys.executable, "-c", example], env=variables, cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    lines = done.stdout.splitlines()
    assert "change 3" in lines
    assert [line for line in lines if line.startswith("passed")]
    assert not [line for line in lines if line.startswith("fault")]
    assert lines[-1] == "hidden", "in an environment, and not on the path"


def test_every_line_of_a_plan_is_documented_with_its_fields() -> None:
    calls: dict[str, set[str]] = {about.value: set() for about in About}
    for path in (TOP / "src").rglob("*.py"):
        for call in ast.walk(ast.parse(path.read_text())):
            if isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id == "plan_line":
                facts = {keyword.arg or "**" for keyword in call.keywords} - {"in_full"}
                for name in re.findall(r"About\.(\w+)", ast.unparse(call.args[1])):
                    calls[About[name].value] |= facts
    section = (TOP / "docs/reference/json.md").read_text().partition("## Lines of plans")[2]
    rows = re.findall(r"(?m)^\| `([^`]+)` \| (.*) \|$", section)
    assert {about: set(re.findall(r"`(\w+)`", fields)) for about, fields in rows} == calls


# A call for each kind of document, typed in the folder of the sample files, in this order; and its exit code.
PRINTS = (
    ("outfit new", "starters", 0),
    ("help", "topics", 0),
    ("help not-on-path", "topics", 0),
    ("outfit plan", "outfit-plan", 1),
    ("outfit equip --plan", "plan", 0),
    ("outfit equip --yes", "outcome", 0),
    ("outfit plan", "outfit-plan", 0),
    ("look", "look", 0),
    ("look python3", "name", 0),
    ("look no-such-command", "name", 1),
    ("look module:waggle", "module", 1),
    ("look 'hum*'", "names", 0),
    ("look ./tools", "place", 0),
    ("interpreter list --below /usr/bin", "interpreters", 0),
    ("environment list", "environments", 0),
    ("environment show hive", "environment", 0),
    ("package list", "packages", 0),
    ("package why waggle-io", "why", 0),
    ("suite list", "suites", 0),
    ("suite try humscan --into trial", "trial", 0),
    ("suite show humscan", "suite", 0),
    ("command get swarmcast --yes", "outcome", 0),
    ("command list 'swarm*'", "commands", 0),
    ("index list", "indexes", 0),
    ("index copy usb swarmcast", "written", 0),
    ("outfit pack --without-interpreter", "written", 0),
    ("catalog list", "catalogs", 0),
    ("catalog show apiary", "catalog", 0),
    ("path add modules --variable PYTHONPATH -e hive --yes", "outcome", 0),
    ("path list", "path", 0),
    ("path list --session", "session path", 0),
    ("path list -e hive", "own paths", 0),
    ("variable list", "variables", 0),
    ("shell list --cost", "startup files", 0),
    ("verify --against before.json", "verification", 0),
    ("verify --list-checks", "checks", 0),
    ("journal", "journal", 0),
    ("store show", "store", 0),
    ("environment drop hive --yes", "outcome", 0),
    ("store sweep --downloads --yes", "swept", 0),
    ("undo --yes", "outcome", 0),
)


def test_all_that_is_printed_as_json_is_as_the_published_schemas_say(samples: Account) -> None:
    script = runpy.run_path(str(TOP / "docs/make_schemas.py"))
    for kind in script["DOCUMENTS"]:
        assert script["file_of"](kind).read_text() == script["schema_text"](kind), "made anew by docs/make_schemas.py"
    seen = {"registry path"}
    for line, kind, code in PRINTS:
        if "before.json" in line:
            samples.write("apiary/before.json", samples.ush("verify", "--json").out)
        done = samples.ush(*shlex.split(line), "--json", code=code)
        document = done.json()
        assert document["kind"] == kind, line
        _validate(script, document)
        with pytest.raises(jsonschema.ValidationError):
            _validate(script, {**document, "wax": 1})
        seen.add(kind)
    for line, code in (
        ("look './nowhere'", 2),
        ("environment drop hvie --yes", 2),
        ("undo 99 --yes", 2),
        ("store mend", 2),
    ):
        failed = samples.ush(*shlex.split(line), "--json", code=None)
        if failed.code:
            assert not failed.out, "results are on the other stream"
            document = json.loads(failed.err)
            assert document["exit_code"] == failed.code == code
            _validate(script, document)
            seen.add("error")
    assert seen == set(script["DOCUMENTS"])
    # What is asked of a command in an environment is not asked of us.
    assert samples.ush("environment", "run", "hive", "--", "no-such", "--json", code=2).err.startswith("ush: ")


def _validate(script: dict, document: dict) -> None:  # type: ignore[type-arg]
    schema = json.loads(script["file_of"](document["kind"]).read_text())
    jsonschema.Draft202012Validator(schema).validate(document)


def test_every_key_of_a_check_is_documented() -> None:
    text = (TOP / "docs/verifying.md").read_text()
    checks = "\n".join(re.findall(r"```toml\n(.*?)```", text, re.DOTALL)[:1])
    parse_checks(checks.encode(), "verifying.md")
    written = set(re.findall(r"(?m)(?:^|# .*?|; |[{,] )([a-z-]+)(?: = |: )", checks)) | {
        "says-pattern",
        "version-pattern",
    }
    read = set(
        re.findall(r'table\.\w+\("([a-z-]+)"', (TOP / "src/unified_shell/core/catalogs/check_tables.py").read_text())
    )
    assert read - {"url", "least-rows", "makes"} <= written, read - written
    listed = (TOP / "docs/verifying.md").read_text()
    assert {one.value for one in Kind} - set(re.findall(r"`(\w+):`", listed)) <= UNNAMED


# Kinds that are found by a path, or by nothing at all.
UNNAMED = {"sessions", "directory", "script", "startup", "file", "offer", "check"}


DOCUMENTS = [TOP / "README.md", TOP / "CONTRIBUTING.md", *sorted((TOP / "docs").rglob("*.md"))]
# Typed line by line, each page in an account of its own.
TYPED = [
    TOP / "README.md",
    TOP / "docs/start.md",
    TOP / "docs/verifying.md",
    *sorted((TOP / "docs/guides").glob("*.md")),
]
# What a person with rights, a network or minutes of time types, and what the tests install themselves.
NOT_TYPED = ("sudo ", "python3 -m", "exit")


def test_pages_made_from_the_program_are_as_it_is() -> None:
    script = runpy.run_path(str(TOP / "docs/make_pages.py"))
    for place, page in script["PAGES"].items():
        assert (TOP / "docs" / place).read_text() == page(), f"{place} is made anew by docs/make_pages.py"


@pytest.mark.parametrize("page", TYPED, ids=lambda page: page.stem)
def test_what_a_page_says_to_type_works_as_it_stands(account: Account, page: Path) -> None:
    wrong = {}
    for block in re.findall(r"(?ms)^```sh\n(.*?)^```$", page.read_text()):
        for line in lines_of(block):
            assert line.startswith("sudo ") or "--for everyone" not in line, "the tests touch nothing of everyone's"
            if line.startswith(NOT_TYPED):
                continue
            if line.startswith("cd "):
                account = Account(account.home, folder=(account.folder or account.home) / line.split()[1])
                continue
            done = type_line(account, line)
            may_tell = line.removeprefix("ush ").startswith(TELLS)
            if done.code and not (may_tell and done.code == 1):
                wrong[line] = (done.code, done.out[-300:], done.err)
    assert not wrong, json.dumps(wrong, indent=1)


def test_every_link_of_the_documents_leads_somewhere() -> None:
    wrong = []
    for page in DOCUMENTS:
        for target in re.findall(r"\]\(([^)\s]+)\)", page.read_text()):
            place = target.partition("#")[0]
            if "://" not in target and not (place and (page.parent / place).exists()):
                wrong.append(f"{page.name}: {target}")
    listed = set(re.findall(r"(?m)^([\w/-]+)$", (TOP / "docs/index.md").read_text()))
    missing = [
        one for one in DOCUMENTS[2:] if one.stem != "index" and str(one.relative_to(TOP / "docs"))[:-3] not in listed
    ]
    assert not wrong
    assert not missing, "each page is in the site's index"


def test_every_command_line_of_the_documents_is_one_of_ours() -> None:
    typed, named = [], []
    for path in DOCUMENTS:
        text = path.read_text()
        typed += re.findall(r"(?m)^(ush .*)$", text)
        named += [line for line in re.findall(r"`(ush [^`…|]+)`", text) if line != "ush env l"]
    assert len(typed) > 30
    troubles = {line: trouble_of(shlex.split(line, comments=True)[1:]) for line in (*typed, *named)}
    # In a sentence a command may be named without what it is given.
    nameless = {line for line in named if troubles[line].startswith("Missing argument")}
    assert not {line: trouble for line, trouble in troubles.items() if trouble and line not in nameless}


@pytest.fixture
def samples(account: Account) -> Account:
    """An account without anything, whose person is in the folder of the sample files."""
    account.ush("demo", "--files", "apiary")
    return Account(account.home, folder=account.home / "apiary")


# What is told by the exit code: something is at fault, or lacking.
TELLS = ("look ", "verify", "outfit plan")


def test_every_example_of_help_is_typed_as_it_stands(samples: Account) -> None:
    every = [" ".join(one) for one in _commands(ush, ())]
    assert sorted(examples()) == sorted(every), "each command has an example"
    wrong = {}
    for line in (line for lines in examples().values() for line in lines):
        done = type_line(samples, line)
        may_tell = line.removeprefix("ush ").startswith(TELLS)
        is_wrong = done.code and not (may_tell and done.code == 1)
        if "USH_TEST_WITHOUT_POSIX" in os.environ:
            # There a refusal that was planned counts, a fault of the program does not.
            is_wrong = "internal error" in done.out + done.err
        if is_wrong:
            wrong[line] = (done.code, done.out[-300:], done.err)
    assert not wrong, json.dumps(wrong, indent=1)


def _commands(group: click.Group, above: tuple[str, ...]) -> Iterator[tuple[str, ...]]:
    context = click.Context(group)
    for name in group.list_commands(context):
        found = group.get_command(context, name)
        if isinstance(found, click.Group):
            yield from _commands(found, (*above, name))
        elif found is not None and not found.hidden:
            yield (*above, name)
