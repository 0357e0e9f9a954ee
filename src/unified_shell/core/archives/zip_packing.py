"""Writing a zip archive: for systems whose own programs open no other. The same input gives the same bytes."""

import os
import time
import zipfile
from collections.abc import Callable, Mapping, Sequence

from unified_shell.core.errors import CouldNot

__all__ = ["write_zip"]

# The earliest that the format holds, and the order of its fields.
EARLIEST = (1980, 1, 1, 0, 0, 0)


def write_zip(
    part: str, members: Sequence[tuple[str, str]], extra: Mapping[str, bytes], told: Callable[[int], None]
) -> int:
    """Write files and empty folders, each with its name in the archive, and `extra` ones; return the number of members. `told` is
    given how many are written. Raises CouldNot for a link: a zip holds none that every program makes again.
    """
    count = 0
    with zipfile.ZipFile(part, "w", compression=zipfile.ZIP_DEFLATED) as archive:
        for name, content in extra.items():
            archive.writestr(zipfile.ZipInfo(name, EARLIEST), content, zipfile.ZIP_DEFLATED)
        for path, name in members:
            if os.path.islink(path):
                raise CouldNot(f"{path} is a link, which a zip does not hold", next_step="name the archive .tar.gz")
            facts = os.stat(path)
            # Of when it was made only the universal time is the same everywhere.
            info = zipfile.ZipInfo(name, max(EARLIEST, time.gmtime(facts.st_mtime)[:6]))
            info.compress_type, info.external_attr = zipfile.ZIP_DEFLATED, facts.st_mode << 16
            if os.path.isdir(path):
                archive.writestr(zipfile.ZipInfo(f"{name}/", info.date_time), b"")
            else:
                with open(path, "rb") as source, archive.open(info, "w") as target:
                    while content := source.read(1 << 20):
                        target.write(content)
            count += 1
            told(count)
    return count
