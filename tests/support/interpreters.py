"""Interpreters for tests: small ones that are made here, and what a description says of them."""

import hashlib
import os
import subprocess
import tarfile
from pathlib import Path

SAYS = """\
#include <stdio.h>
#include <string.h>
const char *hum(void);
static const char prefix[] = "{prefix}";
int main(int n, char **words) {{
  if (n > 1 && !strcmp(words[1], "prefix")) puts(prefix);
  else printf("Lua {version}  %s\\n", hum());
  return 0;
}}
"""


def lua_tree(folder: Path, version: str = "5.4.9", *, prefix: Path | None = None) -> Path:
    """Make a ready-built interpreter in C: a program that needs a library of its own, found by an absolute run path."""
    built_for = prefix or folder
    for name in ("bin", "lib", "share"):
        (folder / name).mkdir(parents=True, exist_ok=True)
    library, program = folder / "lib/libhum.so.1", folder / "bin/lua"
    _compile('const char *hum(void) { return "hums"; }', "-shared", "-fPIC", "-Wl,-soname,libhum.so.1", "-o", library)
    source = SAYS.format(prefix=built_for, version=version)
    _compile(source, "-o", program, library, f"-Wl,--enable-new-dtags,-rpath,{built_for}/lib")
    (folder / "bin/lua-tool").write_text(f"#!{built_for}/bin/lua\n-- see {built_for}/share and {built_for}-other\n")
    (folder / "bin/lua-tool").chmod(0o755)
    (folder / "share/absolute").symlink_to(built_for / "lib/libhum.so.1")
    return folder


def script_tree(folder: Path, version: str = "5.4.9") -> Path:
    """Make the least that counts as a ready-built interpreter."""
    (folder / "bin").mkdir(parents=True)
    for name in ("lua", "luac"):
        (folder / "bin" / name).write_text(f"#!/bin/sh\necho 'Lua {version}'\n")
        (folder / "bin" / name).chmod(0o755)
    return folder


def source_tree(folder: Path, *, breaks: bool = False) -> Path:
    """Make a source that a description builds."""
    folder.mkdir(parents=True)
    (folder / "lua.c").write_text('#include <stdio.h>\nint main(void) { puts("Lua 5.4.7"); return 0; }\n')
    recipe = "\t@echo 'lua.c:9: error: the queen is missing' >&2; false\n" if breaks else "\tcc -o lua lua.c\n"
    (folder / "Makefile").write_text(f"all:\n{recipe}install:\n\tmkdir -p $(TOP)/bin && cp lua $(TOP)/bin/\n")
    return folder


def archive_of(tree: Path, path: Path) -> Path:
    """Pack a tree below a folder of its own name."""
    with tarfile.open(path, f"w:{path.suffix[1:]}") as archive:  # type: ignore[call-overload]  # gz, xz
        archive.add(tree, tree.name)
    return path


def catalog_of(folder: Path, archive: Path, more: str = "", *, kind: str = "binary", version: str = "5.4.9") -> Path:
    """Make a catalog that describes one Lua."""
    folder.mkdir(exist_ok=True)
    digest = hashlib.sha256(archive.read_bytes()).hexdigest()
    machine = os.uname().machine
    platform = f'platform = "linux-{machine}"\n' if kind == "binary" else ""
    (folder / "lua.toml").write_text(
        f'kind = "interpreter"\nname = "lua"\nlanguage = "lua"\nversion = "{version}"\nsummary = "Hums"\n'
        f'[licence]\nspdx = "MIT"\n{more}\n[[form]]\nkind = "{kind}"\n{platform}file = "{archive.name}"\n'
        f'url = "{archive.as_uri()}"\nsha256 = "{digest}"\n'
        + ('build = [["make"], ["make", "install", "TOP={prefix}"]]\n' if kind == "source" else "")
    )
    (folder / "catalog.toml").write_text('[[description]]\nfile = "lua.toml"\n')
    return folder


def _compile(source: str, *words: object) -> None:
    argv = ["cc", "-x", "c", "-", "-x", "none", *map(str, words)]
    subprocess.run(argv, input=source.encode(), check=True)
