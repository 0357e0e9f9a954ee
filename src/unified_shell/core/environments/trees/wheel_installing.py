"""Putting an unpacked wheel into an environment's tree, to the standard.

Source: the wheel format ("Installing a wheel"), "Recording installed projects" (RECORD, INSTALLER,
REQUESTED), direct URLs (PEP 610), entry points. Contents are shared from the store; scripts and records are written here.
"""

import os
import posixpath
from collections.abc import Sequence

from msgspec import Struct, field

from unified_shell.core.distributions.direct_urls import direct_url_text
from unified_shell.core.distributions.entry_points import EntryPoint, parse_entry_points
from unified_shell.core.distributions.record import RecordRow, hash_text, record_line, record_text
from unified_shell.core.distributions.wheels import find_info_folder, read_stored
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.layout import Layout
from unified_shell.core.errors import WheelBroken
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.files.digests import digest_of_bytes, digest_of_file
from unified_shell.core.machine.files.open_flags import EXCLUSIVE
from unified_shell.core.machine.places import Place, join
from unified_shell.core.store.contents import Content, Part, StoredFile
from unified_shell.core.store.sharing import Sharer

from .bytecode import bytecode_name
from .collisions import Collision, FilesCollide
from .command_files import command_files, script_files

__all__ = ["INSTALLER_NAME", "Installer"]

INSTALLER_NAME = "unified-shell"
NOT_TAKEN_OVER = ("RECORD", "RECORD.jws", "RECORD.p7s", "INSTALLER", "REQUESTED", "direct_url.json")


class Installer(Struct):
    """Installs wheels into one tree under way. `tree` is where it is made, `layout` where it will be used.

    A file of the same content may be of several distributions. Where the contents differ, the file of a `preferred`
    distribution counts, which has to be installed before the others.
    """

    tree: Place
    layout: Layout
    facts: InterpreterFacts
    sharer: Sharer
    preferred: frozenset[str] = frozenset()
    _theirs: set[str] = field(default_factory=set)
    _folders: set[str] = field(default_factory=set)
    _owners: dict[str, str] = field(default_factory=dict)
    _installed: list[tuple[Distribution, Content, Part]] = field(default_factory=list)

    def install(self, distribution: Distribution, content: Content, bytecode: Part) -> None:
        """Install one wheel; raises WheelBroken where it would write outside, FilesCollide as `preferred` says."""
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
            for made in command_files(entry, self.layout):
                rows += self._write(distribution, made.path, made.content, executable=True)
        rows += self._write(distribution, f"{site}/{info}/INSTALLER", f"{INSTALLER_NAME}\n".encode())
        if distribution.requested:
            rows += self._write(distribution, f"{site}/{info}/REQUESTED", b"")
        if distribution.address:
            said = direct_url_text(distribution.address, distribution.source_sha256 or distribution.sha256)
            rows += self._write(distribution, f"{site}/{info}/direct_url.json", said.encode())
        record = f"{site}/{info}/RECORD"
        rows.append(RecordRow(path=self._recorded(record)))
        told = "".join(lines) + record_text(tuple(rows))
        self._write(distribution, record, told.encode("utf-8", "surrogateescape"))
        self._installed.append((distribution, content, bytecode))

    def _share(self, distribution: Distribution, source: str, files: Sequence[StoredFile]) -> list[str]:
        """Share files that go to site-packages under their own names; returns their lines of RECORD."""
        site = self.layout.site_packages_name
        folders: dict[str, list[StoredFile]] = {}
        for file in files:
            folders.setdefault(file.name.rpartition("/")[0], []).append(file)
        theirs: set[str] = set()
        for folder, here in folders.items():
            below = f"{site}/{folder}" if folder else site
            self._make_folder(below)
            theirs |= self._share_folder(distribution, f"{source}/{folder}", below, here)
        return [record_line(one.name, one.sha256, one.size_bytes) for one in files if one.name not in theirs]

    def _share_folder(
        self, distribution: Distribution, source: str, below: str, files: Sequence[StoredFile]
    ) -> set[str]:
        """Share the files of one folder; returns the names of those that another distribution's stand in place of."""
        names = [one.name.rpartition("/")[2] for one in files]
        theirs, at = set(), 0
        while at < len(names):
            try:
                self.sharer.share_all(source, f"{self.tree}/{below}", names[at:])
                break
            except FileExistsError as error:
                at = names.index(os.path.basename(error.filename2 or error.filename), at)
                if self._is_theirs(distribution, f"{below}/{names[at]}", files[at].sha256):
                    theirs.add(files[at].name)
                at += 1
        return theirs

    def _is_theirs(self, distribution: Distribution, target: str, sha256: str) -> bool:
        """Tell whether a file that is there counts as another distribution's alone; one of the same content is of both.

        Without a hash it is byte code, which goes with its source. Raises FilesCollide where the contents differ, and
        nobody said whose is wanted.
        """
        source, cached = _source_of(target), target.endswith(".pyc")
        if cached and not sha256:
            return source in self._theirs
        if digest_of_file(join(self.tree, target)) == sha256:
            return False
        owner = self._owners.get(target) or self._sharing(target)
        if not owner:
            raise WheelBroken(
                f"{distribution.name} and the environment itself both provide the file {target}",
                where=distribution.wheel,
            )
        if owner not in self.preferred:
            raise FilesCollide((Collision(path=target, projects=(owner, distribution.name)),))
        self._theirs.add(target)
        return True

    def _install_elsewhere(
        self, distribution: Distribution, content: Content, file: StoredFile, bytecode: Part
    ) -> list[RecordRow]:
        """Install a file of a `.data` folder: to the place of its scheme, a script with the environment's first line."""
        target, is_script = self._target(file.name, distribution)
        if is_script:
            script = read_stored(content, file.name) or b""
            made = script_files(target, script, self.layout)
            return [row for one in made for row in self._write(distribution, one.path, one.content, executable=True)]
        if self._is_taken(distribution, target, file.sha256):
            return []
        row = RecordRow(path=self._recorded(target), digest=hash_text(file.sha256), size_bytes=file.size_bytes)
        if not os.path.lexists(join(self.tree, target)):
            self.sharer.share(content.place(file.name), self._place(target))
        compiled = join(bytecode.folder, bytecode_name(file.name, self.facts.cache_tag))
        if not file.name.endswith(".py") or not os.path.exists(compiled):
            return [row]
        name = bytecode_name(target, self.facts.cache_tag)
        if not self._is_taken(distribution, name, "") and not os.path.lexists(join(self.tree, name)):
            self.sharer.share(compiled, self._place(name))
        return [row, RecordRow(path=self._recorded(name))]

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
            raise WheelBroken(f"its {name!r} has no place in an environment", where=distribution.wheel)
        if key == "scripts" and (rest.startswith(("-", ".")) or not rest.isprintable()):
            raise WheelBroken(f"its script {rest!r} is not a valid command name", where=distribution.wheel)
        return (f"{scheme}/{rest}" if scheme else rest), key == "scripts"

    def _is_taken(self, distribution: Distribution, target: str, sha256: str) -> bool:
        """Tell whether another distribution's file stands there and counts; else it is this one's too."""
        if os.path.lexists(join(self.tree, target)):
            return self._is_theirs(distribution, target, sha256)
        self._owners[target] = distribution.name
        return False

    def _sharing(self, target: str) -> str:
        name = target.removeprefix(f"{self.layout.site_packages_name}/")
        for distribution, content, bytecode in self._installed:
            if any(one.name == name for one in (*content.files, *bytecode.files)):
                return distribution.name
        return ""

    def _write(
        self, distribution: Distribution, target: str, content: bytes, *, executable: bool = False
    ) -> list[RecordRow]:
        """Write a file and return its row; none where another distribution's stands there and counts."""
        sha256 = digest_of_bytes(content)
        if self._is_taken(distribution, target, sha256):
            return []
        place = self._place(target)
        if not os.path.lexists(place):
            with open(os.open(place, EXCLUSIVE, 0o755 if executable else 0o644), "wb") as file:
                file.write(content)
        return [RecordRow(path=self._recorded(target), digest=hash_text(sha256), size_bytes=len(content))]

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
        return posixpath.relpath(f"/{target}", f"/{self.layout.site_packages_name}")

    def _entry_points(self, content: Content, info: str, distribution: Distribution) -> tuple[EntryPoint, ...]:
        text = read_stored(content, f"{info}/entry_points.txt")
        return parse_entry_points(text, distribution.wheel) if text is not None else ()


def _source_of(compiled: str) -> str:
    """Return the source that byte code belongs to (PEP 3147)."""
    folder, _, name = compiled.rpartition("/__pycache__/")
    return f"{folder}/{name.split('.')[0]}.py"


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
