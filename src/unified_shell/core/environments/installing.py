"""Putting an unpacked wheel into an environment's tree, to the standard.

Source: the wheel format ("Installing a wheel"), "Recording installed projects" (RECORD, INSTALLER,
REQUESTED), direct URLs (PEP 610), entry points. Contents are shared from the store; scripts and records are written here.
"""

import os
from dataclasses import dataclass

from unified_shell.core.distributions.entry_points import EntryPoint, parse_entry_points
from unified_shell.core.distributions.record import RecordRow, hash_text, record_text
from unified_shell.core.distributions.wheels import find_info_folder, read_stored
from unified_shell.core.errors import WheelBroken
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.digests import digest_of_bytes
from unified_shell.core.machine.places import Place, join, to_json_text
from unified_shell.core.store.contents import Content, StoredFile, share_file

from .bytecode import bytecode_name
from .contents import Distribution
from .launchers import launcher_text, with_first_line
from .layout import Layout

__all__ = ["INSTALLER_NAME", "Installer"]

INSTALLER_NAME = "unified-shell"
NOT_TAKEN_OVER = ("RECORD", "RECORD.jws", "RECORD.p7s", "INSTALLER", "REQUESTED", "direct_url.json")


@dataclass(slots=True)
class Installer:
    """Installs wheels into one tree under way. `tree` is where it is made, `layout` where it will be used."""

    tree: Place
    layout: Layout
    facts: InterpreterFacts
    owners: dict[str, str]

    def install(self, distribution: Distribution, content: Content, bytecode: str) -> None:
        """Install one wheel; raises WheelBroken where it would write another one's file or outside."""
        info = find_info_folder([one.name for one in content.files], distribution.name, distribution.wheel)
        rows: list[RecordRow] = []
        for file in content.files:
            folder, _, name = file.name.partition("/")
            if (folder == info and name in NOT_TAKEN_OVER) or _is_byte_code(file.name):
                continue
            rows += self._install_file(distribution, content, file, bytecode)
        for entry in self._entry_points(content, info, distribution):
            text = launcher_text(entry, self.layout.python).encode("utf-8", "surrogateescape")
            rows.append(self._write(distribution, f"bin/{entry.name}", text, executable=True))
        site = self.layout.site_packages_name
        rows.append(self._write(distribution, f"{site}/{info}/INSTALLER", f"{INSTALLER_NAME}\n".encode()))
        if distribution.requested:
            rows.append(self._write(distribution, f"{site}/{info}/REQUESTED", b""))
        if distribution.address:
            said = direct_url_text(distribution)
            rows.append(self._write(distribution, f"{site}/{info}/direct_url.json", said.encode()))
        record = f"{site}/{info}/RECORD"
        rows.append(RecordRow(path=self._recorded(record)))
        self._write(distribution, record, record_text(tuple(rows)).encode("utf-8", "surrogateescape"))

    def _install_file(
        self, distribution: Distribution, content: Content, file: StoredFile, bytecode: str
    ) -> list[RecordRow]:
        target, is_script = self._target(file.name, distribution)
        if is_script:
            script = read_stored(content, file.name) or b""
            return [self._write(distribution, target, with_first_line(script, self.layout.python), executable=True)]
        self._claim(distribution, target)
        share_file(content.place(file.name), self._place(target))
        digest, size = hash_text(file.sha256), file.size_bytes
        rows = [RecordRow(path=self._recorded(target), digest=digest, size_bytes=size)]
        compiled = join(bytecode, bytecode_name(file.name, self.facts)) if file.name.endswith(".py") else ""
        if compiled and os.path.exists(compiled):
            name = bytecode_name(target, self.facts)
            self._claim(distribution, name)
            share_file(compiled, self._place(name))
            rows.append(RecordRow(path=self._recorded(name)))
        return rows

    def _target(self, name: str, distribution: Distribution) -> tuple[str, bool]:
        """Return where a wheel's file goes, relative to the prefix, and whether it is a script."""
        folder, _, below = name.partition("/")
        if not folder.endswith(".data") or not below:
            return f"{self.layout.site_packages_name}/{name}", False
        key, _, rest = below.partition("/")
        try:
            scheme = self.layout.scheme(key, distribution.name)
        except KeyError:
            raise WheelBroken(f"it has files for an unknown place, {key!r}", where=distribution.wheel) from None
        if not rest:
            raise WheelBroken(f"its {name!r} is no file of a scheme", where=distribution.wheel)
        return (f"{scheme}/{rest}" if scheme else rest), key == "scripts"

    def _claim(self, distribution: Distribution, target: str) -> None:
        owner = self.owners.setdefault(target, distribution.name)
        if owner != distribution.name or os.path.lexists(join(self.tree, target)):
            by = "the environment itself" if owner == distribution.name else owner
            raise WheelBroken(f"{distribution.name} and {by} both bring the file {target}", where=distribution.wheel)

    def _write(
        self, distribution: Distribution, target: str, content: bytes, *, executable: bool = False
    ) -> RecordRow:
        self._claim(distribution, target)
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW
        with open(os.open(self._place(target), flags, 0o755 if executable else 0o644), "wb") as file:
            file.write(content)
        digest = hash_text(digest_of_bytes(content))
        return RecordRow(path=self._recorded(target), digest=digest, size_bytes=len(content))

    def _place(self, target: str) -> Place:
        place = join(self.tree, target)
        os.makedirs(os.path.dirname(place), exist_ok=True)
        return place

    def _recorded(self, target: str) -> str:
        """Return a path as RECORD writes it: relative to site-packages."""
        return os.path.relpath(f"/{target}", f"/{self.layout.site_packages_name}")

    def _entry_points(self, content: Content, info: str, distribution: Distribution) -> tuple[EntryPoint, ...]:
        text = read_stored(content, f"{info}/entry_points.txt")
        return parse_entry_points(text, distribution.wheel) if text is not None else ()


def direct_url_text(distribution: Distribution) -> str:
    """Return what tells that a distribution came from an address (PEP 610): the hash is the fetched file's."""
    address = distribution.address.partition("#")[0]
    archive = {"hashes": {"sha256": distribution.source_sha256 or distribution.sha256}}
    return to_json_text({"url": address, "archive_info": archive}) + "\n"


def _is_byte_code(name: str) -> bool:
    """Tell byte code that a wheel brings beside its sources: made for other times of the files, it is never valid here."""
    return os.path.basename(os.path.dirname(name)) == "__pycache__" and name.endswith(".pyc")
