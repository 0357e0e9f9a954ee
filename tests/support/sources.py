"""Source distributions for tests, built by a backend that lies in their own tree: no index has to have one."""

import io
import tarfile
from collections.abc import Sequence
from pathlib import Path

BACKEND = """
import base64, hashlib, os, zipfile
NAME, VERSION, REQUIRES, MORE = {name!r}, {version!r}, {requires!r}, {more!r}

def get_requires_for_build_wheel(settings=None):
    return MORE

def build_wheel(folder, settings=None, metadata=None):
    {fail}
    stem = NAME.replace("-", "_")
    info = f"{{stem}}-{{VERSION}}.dist-info"
    helper = __import__(MORE[0]).version if MORE else "none"
    lines = ["Metadata-Version: 2.1", "Name: " + NAME, "Version: " + VERSION]
    lines += ["Requires-Dist: " + one for one in REQUIRES]
    files = {{
        stem + ".py": f"built_with = {{helper!r}}\\n",
        info + "/METADATA": "\\n".join(lines) + "\\n",
        info + "/WHEEL": "Wheel-Version: 1.0\\nGenerator: waggle\\nRoot-Is-Purelib: true\\nTag: py3-none-any\\n",
    }}
    rows = []
    for path, text in files.items():
        digest = base64.urlsafe_b64encode(hashlib.sha256(text.encode()).digest()).decode().rstrip("=")
        rows.append(f"{{path}},sha256={{digest}},{{len(text.encode())}}")
    files[info + "/RECORD"] = "\\n".join([*rows, info + "/RECORD,,", ""])
    wheel = f"{{stem}}-{{VERSION}}-py3-none-any.whl"
    with zipfile.ZipFile(os.path.join(folder, wheel), "w") as archive:
        for path, text in files.items():
            archive.writestr(path, text)
    return wheel
"""


def source(
    folder: Path,
    project: str,
    version: str = "1.0",
    *,
    requires: Sequence[str] = (),
    more: Sequence[str] = (),
    static: bool = False,
    fail: str = "pass",
) -> Path:
    """Make a source distribution; `more` is what its hook asks for, `static` tells its metadata without building."""
    stem = f"{project.replace('-', '_')}-{version}"
    head = ["Metadata-Version: 2.2", f"Name: {project}", f"Version: {version}"]
    dynamic = [] if static else ["Dynamic: Requires-Dist"]
    needs = [f"Requires-Dist: {one}" for one in requires] if static else []
    files = {
        "PKG-INFO": "\n".join([*head, *dynamic, *needs, ""]),
        "pyproject.toml": '[build-system]\nrequires = []\nbuild-backend = "making"\nbackend-path = ["tools"]\n',
        "tools/making.py": BACKEND.format(
            name=project, version=version, requires=list(requires), more=list(more), fail=fail
        ),
    }
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{stem}.tar.gz"
    with tarfile.open(path, "w:gz") as archive:
        for name, text in files.items():
            member = tarfile.TarInfo(f"{stem}/{name}")
            member.size = len(text.encode())
            archive.addfile(member, io.BytesIO(text.encode()))
    return path
