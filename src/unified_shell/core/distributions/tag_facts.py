"""What decides which wheels fit an interpreter: values, apart from the library that makes tags of them."""

from msgspec import Struct

__all__ = ["TagFacts"]


class TagFacts(Struct, frozen=True, kw_only=True):
    """What decides which wheels fit: `system` is sys.platform, `libc` is (`glibc` or `musl`, major, minor)."""

    implementation: str
    version: tuple[int, int]
    word_size_bits: int
    architecture: str
    system: str
    libc: tuple[str, int, int]
    free_threaded: bool = False
