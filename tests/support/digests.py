"""One digest for a whole tree."""

import hashlib
import os
import stat

from unified_shell.core.machine.files.digests import digest_of_file


def digest_of_tree(top: str) -> str:
    """Return one digest over names, kinds, permission bits, link targets and contents below `top`."""
    state = hashlib.sha256()
    for folder, folders, files in os.walk(top):
        folders.sort()
        for name in sorted(folders + files):
            path = os.path.join(folder, name)
            facts = os.lstat(path)
            state.update(os.fsencode(os.path.relpath(path, top)) + b"\0%o\0" % facts.st_mode)
            if stat.S_ISLNK(facts.st_mode):
                state.update(os.fsencode(os.readlink(path)))
            elif stat.S_ISREG(facts.st_mode):
                state.update(digest_of_file(path).encode())
    return state.hexdigest()
