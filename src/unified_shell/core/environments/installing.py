"""Putting an unpacked wheel into an environment's tree, to the standard.

Source: the wheel format ("Installing a wheel"), "Recording installed projects" (RECORD, INSTALLER,
REQUESTED), direct URLs (PEP 610), entry points. Contents are shared from the store; scripts and records are written here.
"""

import os
from collections.abc import Sequence
from dataclasses import dataclass, field

from unified_shell.core.distributions.direct_urls import direct_url_text
from unified_shell.core.distributions.entry_points import EntryPoint, parse_entry_points
from unified_shell.core.distributions.record import RecordRow, hash_text, record_line, record_text
from unified_shell.core.distributions.wheels import find_info_folder, read_stored
from unified_shell.core.errors import WheelBroken
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.digests import digest_of_bytes
from unified_shell.core.machine.places import Place, join
from unified_shell.core.store.contents import Content, Part, StoredFile
from unified_shell.core.store.sharing import Sharer

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
    sharer: Sharer
    _folders: set[str] = field(default_factory=set)
    _owners: dict[str, str] = field(default_factory=dict)
    _installed: list[tuple[Distribution, Content, Part]] = field(default_factory=list)

    def install(self, distribution: Distribution, content: Content, bytecode: Part) -> None:
        """Install one wheel; raises WheelBroken where it would write another one's file or outside."""
        info = find_info_folder([one.name for one in content.files], distribution.name, distribution.wheel)
        site = self.layout.site_packages_name
        shared, elsewhere = _split(content, info)
        lines = self._share(distribution, content.folder, shared)
        compiled = [one for one in bytecode.files if ".data/" not in one.name]
        lines += self._share(distribution, bytecode.folder, compiled)
        rows: list[RecordRow] = []
        for file in elsewhere:
            rows += self._install_elsewhere(distribution, content, file, bytecode)
        for entry in self._entry_points(content, info, distribution):
            text = launcher_text(entry, self.layout.python).encode("utf-8", "surrogateescape")
            rows.append(self._write(distribution, f"bin/{entry.name}", text, executable=True))
        rows.append(self._write(distribution, f"{site}/{info}/INSTALLER", f"{INSTALLER_NAME}\n".encode()))
        if distribution.requested:
            rows.append(self._write(distribution, f"{site}/{info}/REQUESTED", b""))
        if distribution.address:
            said = direct_url_text(distribution.address, distribution.source_sha256 or distribution.sha256)
            rows.append(self._write(distribution, f"{site}/{info}/direct_url.json", said.encode()))
        record = f"{site}/{info}/RECORD"
        rows.append(RecordRow(path=self._recorded(record)))
        told = "".join(lines) + record_text(tuple(rows))
        self._write(distribution, record, told.encode("utf-8", "surrogateescape"))
        self._installed.append((distribution, content, bytecode))

    def _share(self, distribution: Distribution, source: str, files: Sequence[StoredFile]) -> list[str]:
        """Share files that go to site-packages under their own names; returns their lines of RECORD."""
        site = self.layout.site_packages_name
        folders: dict[str, list[str]] = {}
        for file in files:
            folder, _, name = file.name.rpartition("/")
            folders.setdefault(folder, []).append(name)
        for folder, names in folders.items():
            below = f"{site}/{folder}" if folder else site
            self._make_folder(below)
            try:
                self.sharer.share_all(f"{source}/{folder}", f"{self.tree}/{below}", names)
            except FileExistsError as error:
                raise self._in_the_way(distribution, error) from error
        return [record_line(one.name, one.sha256, one.size_bytes) for one in files]

    def _install_elsewhere(
        self, distribution: Distribution, content: Content, file: StoredFile, bytecode: Part
    ) -> list[RecordRow]:
        """Install a file of a `.data` folder: to the place of its scheme, a script with the environment's first line."""
        target, is_script = self._target(file.name, distribution)
        if is_script:
            script = read_stored(content, file.name) or b""
            return [self._write(distribution, target, with_first_line(script, self.layout.python), executable=True)]
        self._claim(distribution, target)
        self.sharer.share(content.place(file.name), self._place(target))
        rows = [RecordRow(path=self._recorded(target), digest=hash_text(file.sha256), size_bytes=file.size_bytes)]
        compiled = join(bytecode.folder, bytecode_name(file.name, self.facts.cache_tag))
        if file.name.endswith(".py") and os.path.exists(compiled):
            name = bytecode_name(target, self.facts.cache_tag)
            self._claim(distribution, name)
            self.sharer.share(compiled, self._place(name))
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
        if key == "scripts" and (rest.startswith(("-", ".")) or not rest.isprintable()):
            raise WheelBroken(f"its script {rest!r} cannot be a command's name", where=distribution.wheel)
        return (f"{scheme}/{rest}" if scheme else rest), key == "scripts"

    def _claim(self, distribution: Distribution, target: str) -> None:
        if os.path.lexists(join(self.tree, target)):
            raise self._in_the_way(distribution, FileExistsError(0, "", "", None, join(self.tree, target)))
        self._owners[target] = distribution.name

    def _in_the_way(self, distribution: Distribution, error: FileExistsError) -> WheelBroken:
        target = os.path.relpath(error.filename2 or error.filename, self.tree)
        by = self._owners.get(target) or self._sharing(target) or "the environment itself"
        return WheelBroken(f"{distribution.name} and {by} both bring the file {target}", where=distribution.wheel)

    def _sharing(self, target: str) -> str:
        name = target.removeprefix(f"{self.layout.site_packages_name}/")
        for distribution, content, bytecode in self._installed:
            if any(one.name == name for one in (*content.files, *bytecode.files)):
                return distribution.name
        return ""

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
        self._make_folder(target.rpartition("/")[0])
        return join(self.tree, target)

    def _make_folder(self, folder: str) -> None:
        if folder in self._folders:
            return
        self._folders.add(folder)
        try:
            # Most often the one above is there, and this one is not: nothing else needs to be looked at.
            os.mkdir(f"{self.tree}/{folder}")
        except OSError:
            os.makedirs(join(self.tree, folder), exist_ok=True)

    def _recorded(self, target: str) -> str:
        """Return a path as RECORD writes it: relative to site-packages."""
        return os.path.relpath(f"/{target}", f"/{self.layout.site_packages_name}")

    def _entry_points(self, content: Content, info: str, distribution: Distribution) -> tuple[EntryPoint, ...]:
        text = read_stored(content, f"{info}/entry_points.txt")
        return parse_entry_points(text, distribution.wheel) if text is not None else ()


def _split(content: Content, info: str) -> tuple[list[StoredFile], list[StoredFile]]:
    """Return the files that go to site-packages as they are, and those of `.data` folders; not what is written anew."""
    shared: list[StoredFile] = []
    elsewhere: list[StoredFile] = []
    unwanted = {f"{info}/{name}" for name in NOT_TAKEN_OVER}
    for file in content.files:
        name = file.name
        # Byte code that a wheel brings beside its sources was made for other times of the files: never valid here.
        if name in unwanted or (name.endswith(".pyc") and "__pycache__/" in name):
            continue
        top, slash, _ = name.partition("/")
        (elsewhere if slash and top.endswith(".data") else shared).append(file)
    return shared, elsewhere
