"""Which wheels fit an interpreter, best first.

Source: PEP 425 (tags), 513, 571, 599, 600 (manylinux), 656 (musllinux), 703 (free threading). The tags are
made from the interpreter's own facts, not from those of the Python that runs us.
"""

from collections.abc import Iterable, Mapping, Sequence

from packaging.tags import Tag, compatible_tags, cpython_tags, generic_tags, mac_platforms

from .tag_facts import TagFacts

__all__ = ["platform_tags", "rank_of", "supported_tags", "tag_ranks"]

LEGACY_MANYLINUX = {(2, 17): "manylinux2014", (2, 12): "manylinux2010", (2, 5): "manylinux1"}
OLDEST_GLIBC_MINOR = {"x86_64": 5, "i686": 5}


def supported_tags(facts: TagFacts) -> tuple[Tag, ...]:
    """Return every tag that fits, the best first."""
    platforms = platform_tags(facts)
    short = f"{facts.version[0]}{facts.version[1]}"
    if facts.implementation == "cpython":
        abi = f"cp{short}t" if facts.free_threaded else f"cp{short}"
        own: Iterable[Tag] = cpython_tags(facts.version, abis=[abi], platforms=platforms)
        name = f"cp{short}"
    else:
        name = f"{facts.implementation[:2]}{short}"
        own = generic_tags(name, abis=["none"], platforms=platforms)
    return tuple(dict.fromkeys((*own, *compatible_tags(facts.version, name, platforms))))


def platform_tags(facts: TagFacts) -> tuple[str, ...]:
    """Return the platforms that fit, the nearest first."""
    if facts.system.startswith("linux"):
        return _linux(facts)
    if facts.system == "darwin":
        return tuple(mac_platforms((facts.libc[1], facts.libc[2]) if facts.libc[1] else None, facts.architecture))
    if facts.system == "win32":
        names = {"amd64": "win_amd64", "x86_64": "win_amd64", "arm64": "win_arm64"}
        return (names.get(facts.architecture, "win32") if facts.word_size_bits == 64 else "win32",)
    return ()


def _linux(facts: TagFacts) -> tuple[str, ...]:
    architecture = facts.architecture
    # A 32-bit interpreter on a 64-bit kernel: the kernel's name is not the interpreter's.
    if facts.word_size_bits == 32:
        architecture = {"x86_64": "i686", "aarch64": "armv7l"}.get(architecture, architecture)
    name, major, minor = facts.libc
    # A wheel built on such a machine itself fits better than one built for many.
    found = [f"linux_{architecture}"]
    if name == "glibc":
        for one in range(minor, OLDEST_GLIBC_MINOR.get(architecture, 17) - 1, -1):
            found.append(f"manylinux_{major}_{one}_{architecture}")
            if legacy := LEGACY_MANYLINUX.get((major, one)):
                found.append(f"{legacy}_{architecture}")
    elif name == "musl":
        found += [f"musllinux_{major}_{one}_{architecture}" for one in range(minor, -1, -1)]
    return tuple(found)


def tag_ranks(supported: Sequence[Tag]) -> dict[Tag, int]:
    """Return the place of each supported tag, the best first."""
    return {tag: at for at, tag in reversed(list(enumerate(supported)))}


def rank_of(tags: Iterable[Tag], ranks: Mapping[Tag, int]) -> int | None:
    """Return the place of the best of a wheel's tags among those supported, or None."""
    return min((ranks[tag] for tag in tags if tag in ranks), default=None)
