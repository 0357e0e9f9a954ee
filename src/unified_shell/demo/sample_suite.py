"""The sample suite of the apiary study, `humscan`: its source, its recordings, and a catalog that describes it."""

import gzip
import hashlib
import io
import math
import shutil
import struct
import tarfile
from pathlib import Path

from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.processes.processes import run_program

__all__ = ["HUMS", "RATE", "hum", "make_humscan_catalog"]

VERSION = "1.4.0"
RATE = 4000
SECONDS = 4
# The pitches in hertz of a queenright hive, and of one about to swarm, each with its strength.
HUMS = {"calm": ((220, 0.30), (440, 0.10)), "swarming": ((220, 0.15), (310, 0.40))}
FORM = """
[[form]]
kind = "{kind}"
{platform}file = "{file}"
url = "{file}"
sha256 = "{sha256}"
size = {size}
{build}"""
DESCRIPTION = """\
kind = "suite"
name = "humscan"
version = "{version}"
summary = "Turns recordings of hives into spectra"
categories = ["acoustics"]

[licence]
spdx = "MIT"
{forms}
[offers]
search-path = {{ PATH = "bin" }}
variables = {{ HUMSCAN_SAMPLES = "{{prefix}}/share/humscan/samples" }}

[[check]]
command = ["humscan", "--version"]
version = ">=1.4"

[[check]]
name = "says how it is used"
command = ["humscan"]
exit-codes = [2]
says = "usage: humscan"

[trial]
data = "share/humscan/samples"
processes = 2
expected-seconds = 1
limit-seconds = 60

[[trial.run]]
command = ["humscan", "-j", "{{processes}}", "swarming.wav", "spectrum.csv"]

[[trial.makes]]
file = "spectrum.csv"
rows = 50
columns = 2
column = "power"
least = 0
most = 0.05
"""


def hum(name: str) -> list[int]:
    """Return a recording: samples of 16 bits, the same each time."""
    tones = HUMS[name]
    times = (at / RATE for at in range(RATE * SECONDS))
    return [round(32767 * sum(loud * math.sin(2 * math.pi * pitch * t) for pitch, loud in tones)) for t in times]


def make_humscan_catalog(folder: str, *, with_binary: bool = True) -> None:
    """Write archives of the source and, where there is a compiler, of a ready-built form; a description; a catalog."""
    top = Path(folder)
    top.mkdir(parents=True, exist_ok=True)
    files = {f"samples/{name}.wav": _recording(hum(name)) for name in HUMS}
    own = Path(__file__).with_name("humscan")
    files |= {one: (own / one).read_bytes() for one in ("humscan.c", "Makefile")}
    name = f"humscan-{VERSION}"
    source = top / f"{name}.tar.gz"
    _pack(source, {f"{name}/{path}": (content, 0o644) for path, content in files.items()})
    build = 'build = [["make", "-j{jobs}"], ["make", "install", "PREFIX={prefix}"]]\n'
    forms = _form("source", source, "", build)
    if with_binary and shutil.which("cc"):
        work = top / "work"
        work.mkdir()
        words = ("cc", "-O2", "-std=gnu99", "-o", str(work / "humscan"), str(own / "humscan.c"), "-lm")
        here = read_host()
        run_program(words, environment=here.environment(), timeout_seconds=60)
        ready = {f"{name}/bin/humscan": ((work / "humscan").read_bytes(), 0o755)}
        ready |= {
            f"{name}/share/humscan/{path}": (files[path], 0o644) for path in files if path.startswith("samples/")
        }
        shutil.rmtree(work)
        binary = top / f"{name}-{here.platform}.tar.gz"
        _pack(binary, ready)
        forms = _form("binary", binary, f'platform = "{here.platform}"\n', "") + forms
    (top / "humscan.toml").write_text(DESCRIPTION.format(version=VERSION, forms=forms))
    (top / "catalog.toml").write_text('[[description]]\nfile = "humscan.toml"\n')


def _form(kind: str, archive: Path, platform: str, build: str) -> str:
    digest = hashlib.sha256(archive.read_bytes()).hexdigest()
    size = archive.stat().st_size
    return FORM.format(kind=kind, platform=platform, file=archive.name, sha256=digest, size=size, build=build)


def _recording(samples: list[int]) -> bytes:
    """Return a RIFF/WAVE file of one channel, 16 bits."""
    data = struct.pack(f"<{len(samples)}h", *samples)
    head = struct.pack(
        "<4sI8sIHHIIHH4sI", b"RIFF", 36 + len(data), b"WAVEfmt ", 16, 1, 1, RATE, 2 * RATE, 2, 16, b"data", len(data)
    )
    return head + data


def _pack(path: Path, files: dict[str, tuple[bytes, int]]) -> None:
    """Write an archive that is the same each time."""
    with (
        gzip.GzipFile(path, "wb", mtime=0) as packed,
        tarfile.open(fileobj=packed, mode="w") as archive,
    ):
        for name, (content, mode) in sorted(files.items()):
            entry = tarfile.TarInfo(name)
            entry.size, entry.mode = len(content), mode
            archive.addfile(entry, io.BytesIO(content))
