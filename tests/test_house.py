"""The house: arrows point down, the core is free of interface code, start-up stays light, tests keep their share."""

import ast
import re
import subprocess
import sys
from pathlib import Path

import pytest

TOP = Path(__file__).parent.parent
SOURCE = TOP / "src" / "unified_shell"
ROOMS = (
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
    "machine",
    "findings",
    "errors",
)
# Folders of a room, from the top down; what stands in the room itself is above all of them, or below all (`.` last).
FOLDERS = {
    "environments": (".", "upkeep", "libraries", "packages", "builds", "trees", "model"),
    "interpreters": ("getting", "."),
    "machine": ("registry", "processes", "programs", "files", "."),
    "shells": ("planning", "tracing", "startup", "sessions", "wiring", "dialects"),
    "verification": (".", "modules", "names", "packages", "programs"),
}
# More files than this are not seen at a glance.
MOST_IN_A_FOLDER = 25
LAYERS = ("__main__", "cli", "demo", "views", "core", "__init__")
HEAVY = {"httpx", "rich", "tomlkit", "msgspec", "sqlite3", "psutil", "packaging", "filelock", "truststore"}
# What each command may import of the heavy modules; more makes its start slow.
ALLOWED = {
    "--version": set(),
    "--help": set(),
    "environment run hive -- true": {"msgspec"},
    "look true": {"msgspec", "rich", "psutil"},
    "look true --json": {"msgspec"},
    "path list": {"rich", "msgspec"},
    "journal": {"rich", "sqlite3", "msgspec", "psutil"},
}


def _modules() -> dict[str, ast.Module]:
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


MODULES = _modules()
PACKAGES = {name for name in MODULES if (SOURCE.parent / Path(*name.split("."))).is_dir()}
IMPORTS = {name: _imports(name, tree, set(MODULES)) for name, tree in MODULES.items()}


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
    return parts[2], order.index(parts[3] if len(parts) > 4 or name in PACKAGES else ".")


def test_arrows_point_down() -> None:
    wrong = []
    for name, imports in IMPORTS.items():
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
        name: {one for one in _imports(name, tree, set(MODULES), everywhere=False) if one in MODULES and one != name}
        for name, tree in MODULES.items()
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
    for name, imports in IMPORTS.items():
        if name.startswith("unified_shell.core"):
            assert not {one.split(".")[0] for one in imports} & {"click", "rich"}, name
            calls = [
                node.func.id
                for node in ast.walk(MODULES[name])
                if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
            ]
            assert "print" not in calls, name


def test_public_names_are_listed_as_they_are() -> None:
    for name, tree in MODULES.items():
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


COMMAND = re.compile(r"\bush (look|verify|undo|\w+ \w+)\b")
# What needs no quotes where it stands: numbers, versions, words of ours, and what was quoted for its place.
PLAIN = {"asked.language", "described.version", "entry.number", "facts.short_version", "kept", "KERNEL", "language"}
PLAIN |= {"outcome.number", "own_option", "session.shell", "source.base.short_version", "table.name", "whose", "word"}
PLAIN |= {"environment.contents.language", "locations.for_whom"}
PLAIN |= {
    "named",
    "build.version",
    "environment.option",
    "environment.change_option",
    "environment.whose",
    "found.whose",
}
PLAIN |= {
    "empty.change_option",
    "self.environment.change_option",
    "searched",
    "book.example",
    "book.kind",
    "self.kind",
}


def test_what_a_person_is_told_to_type_is_quoted() -> None:
    """Names hold spaces and quotes: each that is put into a command goes through `typed`, outside of quotes of ours."""
    found = []
    for name, tree in MODULES.items():
        for node in ast.walk(tree):
            if not isinstance(node, ast.JoinedStr) or name.endswith(("dialects.fish", "installer_names")):
                continue
            before = ""
            for part in node.values:
                if isinstance(part, ast.Constant):
                    before += str(part.value)
                    continue
                expression = ast.unparse(part.value) if isinstance(part, ast.FormattedValue) else ""
                quoted = expression.partition("(")[0].endswith("typed") or expression in PLAIN
                remark = before.rpartition("   (")[2] if "   (" in before else ")"
                if COMMAND.search(before) and not quoted and ")" in remark and "import " not in before:
                    found.append(f"{name}: {{{expression}}}")
                before += "x"
    assert not found


def test_modules_and_functions_are_short() -> None:
    for name, tree in MODULES.items():
        path = SOURCE.parent / Path(*name.split("."))
        file = path / "__init__.py" if path.is_dir() else path.with_suffix(".py")
        assert len(file.read_text().splitlines()) <= 400, name
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef) and node.end_lineno:
                assert node.end_lineno - node.lineno < 62, f"{name}.{node.name}"
        assert not re.search(r"\b(utils|helpers|common|misc)$", name), name


@pytest.mark.parametrize("words", ALLOWED, ids=lambda words: words.replace(" ", "-"))
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
