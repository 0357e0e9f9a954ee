"""The house: arrows point down, the core is free of interface code, start-up stays light, tests keep their share."""

import ast
import re
import subprocess
import sys
from functools import cache
from pathlib import Path

import pytest

from support.kill_driver import NEVER_IMPORTED
from support.without_posix import MODULES as POSIX_MODULES
from support.without_posix import OS, SIGNALS

TOP = Path(__file__).parent.parent
SOURCE = TOP / "src" / "unified_shell"
ROOMS = (
    "outfits",
    "verification",
    "suites",
    "environments",
    "interpreters",
    "installation",
    "commands",
    "resolution",
    "indexes",
    "catalogs",
    "distributions",
    "shells",
    "changes",
    "store",
    "transfers",
    "archives",
    "expectations",
    "machine",
    "findings",
    "errors",
    "next_steps",
)
# Folders of a room, from the top down; what stands in the room itself is above all of them, or below all (`.` last).
FOLDERS = {
    "environments": (".", "upkeep", "libraries", "packages", "builds", "trees", "model"),
    "interpreters": ("getting", "."),
    "machine": ("registry", "processes", "programs", "files", "."),
    "shells": ("planning", "tracing", "startup", "sessions", "wiring", "dialects"),
    "verification": ("reports", ".", "checks", "targets", "modules", "names", "packages", "programs"),
}
# More files than this are not seen at a glance.
MOST_IN_A_FOLDER = 25
LAYERS = ("__main__", "entry", "cli", "demo", "library", "views", "core", "__init__")
HEAVY = {
    *("httpx", "rich", "tomlkit", "msgspec", "sqlite3", "psutil", "packaging", "filelock", "truststore"),
    *("concurrent", "email", "hashlib", "html", "ssl", "tempfile", "urllib", "zipfile"),
}
# What each command may import of the heavy modules; more makes its start slow.
ALLOWED = {
    "--version": set(),
    "--help": {"urllib"},
    "environment run hive -- true": {"msgspec"},
    "": {"msgspec", "rich"},
    "environment list": {"msgspec", "rich"},
    "package list -e hive": {"msgspec", "rich", "email"},
    "look true": {"msgspec", "rich", "psutil", "tempfile"},
    "look true --json": {"msgspec", "tempfile"},
    "look module:json --json": {"concurrent", "msgspec", "tempfile"},
    "path list": {"rich", "msgspec", "tempfile"},
    "journal": {"rich", "sqlite3", "msgspec", "psutil"},
}


@cache
def modules() -> dict[str, ast.Module]:
    found = {}
    for path in sorted(SOURCE.rglob("*.py")):
        if "study_data" not in path.parts:
            parts = path.relative_to(SOURCE.parent).with_suffix("").parts
            name = ".".join(parts[:-1] if parts[-1] == "__init__" else parts)
            found[name] = ast.parse(path.read_text())
    return found


def _imports(name: str, tree: ast.Module, known: set[str], *, everywhere: bool = True) -> set[str]:
    """Return what a module imports, as full names; only at its top unless `everywhere`."""
    is_package = (SOURCE.parent / Path(*name.split(".")) / "__init__.py").exists()
    found = set()
    for node in ast.walk(tree) if everywhere else tree.body:
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            parts = name.split(".")
            base = parts if is_package else parts[:-1]
            above = base[: len(base) - node.level + 1] if node.level else []
            module = ".".join([*above, *([node.module] if node.module else [])])
            for alias in node.names:
                inner = f"{module}.{alias.name}"
                found.add(inner if inner in known else module)
    return found


@cache
def imports_of_all() -> dict[str, set[str]]:
    return {name: _imports(name, tree, set(modules())) for name, tree in modules().items()}


def _layer(name: str) -> int:
    part = name.split(".")[1] if "." in name else "__init__"
    return LAYERS.index(part)


def _room(name: str) -> int | None:
    parts = name.split(".")
    return ROOMS.index(parts[2]) if len(parts) > 2 and parts[1] == "core" else None


def _folder(name: str) -> tuple[str, int] | None:
    """Return the room of a module and how high its folder stands in it; None for a room without an order."""
    parts = name.split(".")
    order = FOLDERS.get(parts[2]) if len(parts) > 3 and parts[1] == "core" else None
    if order is None:
        return None
    return parts[2], order.index(parts[3] if len(parts) > 4 or (SOURCE.parent / Path(*parts)).is_dir() else ".")


def test_arrows_point_down() -> None:
    wrong = []
    for name, imports in imports_of_all().items():
        for other in imports:
            if not other.startswith("unified_shell"):
                continue
            above, below = _room(name), _room(other)
            if _layer(other) < _layer(name) or (above is not None and below is not None and below < above):
                wrong.append(f"{name} imports {other}")
            here, there = _folder(name), _folder(other)
            if here and there and here[0] == there[0] and there[1] < here[1]:
                wrong.append(f"{name} imports {other}, which stands above it")
    assert not wrong


def test_a_folder_is_seen_at_a_glance() -> None:
    for folder in SOURCE.rglob("*"):
        files = [path for path in folder.glob("*.py") if path.name != "__init__.py"] if folder.is_dir() else []
        assert len(files) <= MOST_IN_A_FOLDER, folder


def test_no_import_cycle() -> None:
    edges = {
        name: _imports(name, tree, set(modules()), everywhere=False) & modules().keys() - {name}
        for name, tree in modules().items()
    }
    done: set[str] = set()

    def walk(name: str, above: tuple[str, ...]) -> None:
        assert name not in above, f"a cycle: {' → '.join((*above, name))}"
        if name not in done:
            for other in edges[name]:
                walk(other, (*above, name))
            done.add(name)

    for name in edges:
        walk(name, ())


def test_the_core_has_no_interface_code() -> None:
    for name, imports in imports_of_all().items():
        if name.startswith("unified_shell.core"):
            assert not {one.split(".")[0] for one in imports} & {"click", "rich"}, name
            calls = [
                node.func.id
                for node in ast.walk(modules()[name])
                if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
            ]
            assert "print" not in calls, name


def test_what_a_system_gives_is_asked_through_the_machine_room() -> None:
    """No other room names what only POSIX has, and only the shells' rooms ask which system it is."""
    wrong = []
    for name, tree in modules().items():
        if ".core.machine." in name or name.rpartition(".")[2] in NEVER_IMPORTED:
            continue
        for node in ast.walk(tree):
            match node:
                case ast.Attribute(value=ast.Name(id="os" | "signal"), attr=attr) if attr in (*OS, *SIGNALS):
                    wrong.append(f"{name}:{node.lineno} {attr}")
                case ast.Import(names=names) if {one.name for one in names} & POSIX_MODULES:
                    wrong.append(f"{name}:{node.lineno} {ast.unparse(node)}")
                case ast.ImportFrom(module=str(module), level=0) if module in POSIX_MODULES:
                    wrong.append(f"{name}:{node.lineno} {ast.unparse(node)}")
                case ast.Attribute(value=ast.Name(id="System"), attr=attr) if ".core.shells." not in name:
                    wrong.append(f"{name}:{node.lineno} System.{attr}")
    assert not wrong


def test_public_names_are_listed_as_they_are() -> None:
    for name, tree in modules().items():
        listed = [
            node.value
            for node in tree.body
            if isinstance(node, ast.Assign)
            and isinstance(node.targets[0], ast.Name)
            and node.targets[0].id == "__all__"
        ]
        if listed:
            names = ast.literal_eval(listed[0])
            defined = {node.name for node in ast.walk(tree) if isinstance(node, ast.FunctionDef | ast.ClassDef)}
            defined |= {
                target.id
                for node in ast.walk(tree)
                if isinstance(node, ast.Assign | ast.AnnAssign)
                for target in ast.walk(node)
                if isinstance(target, ast.Name)
            }
            defined |= {
                alias.asname or alias.name
                for node in ast.walk(tree)
                if isinstance(node, ast.ImportFrom)
                for alias in node.names
            }
            assert set(names) <= defined, name
            assert len(set(names)) == len(names), name


# The beginning of a command line of ours, as a text.
COMMAND = re.compile(
    r"(Next: |^|   )(sudo )?ush (look|verify|undo|journal|\w+ (list|get|new|add|drop|show|copy|enter|run|wire))\b"
    r"|^(sudo|ls|rm|mv|cp|chmod|chown|mkdir|sed|diff) (-|/|o-w|\+x|\d|$)"
)


def test_what_a_person_is_told_to_type_is_data() -> None:
    """Names hold spaces and quotes: a command line is a value, and quoted in one place."""
    found = []
    for name, tree in modules().items():
        documented = ast.Module | ast.ClassDef | ast.FunctionDef
        docs = {
            id(node.body[0].value)
            for node in ast.walk(tree)
            if isinstance(node, documented) and node.body and isinstance(node.body[0], ast.Expr)
        }
        for node in ast.walk(tree):
            if (
                isinstance(node, ast.Constant)
                and isinstance(node.value, str)
                and id(node) not in docs
                and COMMAND.search(node.value)
                and not name.startswith(
                    ("unified_shell.demo", "unified_shell.core.environments.trees.installer_names")
                )
            ):
                found.append(f"{name}: {node.value}")
    assert not found


MOST_LINES = 50


def _code_lines(node: ast.FunctionDef, lines: list[str]) -> int:
    """Return how many lines of a function hold code: its signature, docstring, blank lines and comments are none."""
    first = node.body[1] if isinstance(node.body[0], ast.Expr) and len(node.body) > 1 else node.body[0]
    body = lines[first.lineno - 1 : node.end_lineno]
    return sum(1 for line in body if line.strip() and not line.strip().startswith("#"))


def test_modules_and_functions_are_short() -> None:
    for name, tree in modules().items():
        path = SOURCE.parent / Path(*name.split("."))
        file = path / "__init__.py" if path.is_dir() else path.with_suffix(".py")
        assert len(file.read_text().splitlines()) <= 400, name
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef):
                assert _code_lines(node, file.read_text().splitlines()) <= MOST_LINES, f"{name}.{node.name}"
        assert not re.search(r"\b(utils|helpers|common|misc)$", name), name


@pytest.mark.parametrize("words", ALLOWED, ids=lambda words: words.replace(" ", "-") or "ush")
def test_commands_import_only_what_they_need(words: str, tmp_path: Path) -> None:
    prefix = tmp_path / ".local/share/unified-shell/environments/hive/bin"
    prefix.mkdir(parents=True)
    (prefix / "python").symlink_to(sys.executable)
    program = (
        "import sys, os; os.execvpe = lambda *_: sys.exit(0)\n"
        "from unified_shell.cli.main import main\n"
        f"sys.argv = ['ush', *{words.split()!r}]\n"
        "try: main()\nexcept SystemExit: pass\n"
        "sys.stderr.write('\\n' + ' '.join({one.split('.')[0] for one in sys.modules}))"
    )
    variables = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin", "LANG": "C.UTF-8"}
    done = subprocess.run([sys.executable, "-c", program], env=variables, capture_output=True, text=True, check=True)
    loaded = set(done.stderr.splitlines()[-1].split()) & HEAVY
    assert loaded <= ALLOWED[words], f"{words}: {loaded - ALLOWED[words]}"


def test_tests_are_a_quarter_to_a_third_of_the_code() -> None:
    def lines(folder: Path) -> int:
        every = [line.strip() for path in folder.rglob("*.py") for line in path.read_text().splitlines()]
        return sum(1 for line in every if line and not line.startswith("#"))

    share = lines(TOP / "tests") / lines(TOP / "src")
    assert 0.25 <= share <= 1 / 3, f"{share:.1%}"
