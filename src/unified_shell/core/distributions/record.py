"""RECORD: the list of a distribution's files with their hashes.

Source: "Recording installed projects" and "Binary distribution format" of the packaging specifications.
"""

import base64
import csv
import io
import re

from msgspec import Struct

from unified_shell.core.errors import WheelBroken

__all__ = ["RecordRow", "hash_text", "parse_record", "record_line", "record_text"]


QUOTED = re.compile(r'[,"\r\n]').search


class RecordRow(Struct, frozen=True, kw_only=True):
    """One row: the path as written, the hash as `sha256=…` or empty, the size or -1."""

    path: str
    digest: str = ""
    size_bytes: int = -1


def parse_record(content: bytes, where: str) -> tuple[RecordRow, ...]:
    """Return the rows; raises WheelBroken for what is no such file."""
    rows = []
    try:
        for fields in csv.reader(io.StringIO(content.decode("utf-8"), newline="")):
            if not fields:
                continue
            path, digest, size = (*fields, "", "")[:3]
            rows.append(RecordRow(path=path, digest=digest, size_bytes=int(size) if size else -1))
    except (UnicodeDecodeError, csv.Error, ValueError) as error:
        raise WheelBroken(f"its RECORD cannot be read: {error}", where=where) from error
    return tuple(rows)


def record_text(rows: tuple[RecordRow, ...]) -> str:
    """Return the file's text, in the order of the rows."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    for row in rows:
        writer.writerow([row.path, row.digest, row.size_bytes if row.size_bytes >= 0 else ""])
    return out.getvalue()


def record_line(path: str, sha256_hex: str, size_bytes: int) -> str:
    """Return one line of the file; without a hash (byte code), without a size as well."""
    if QUOTED(path):
        row = RecordRow(path=path, digest=hash_text(sha256_hex) if sha256_hex else "", size_bytes=size_bytes)
        return record_text((row if sha256_hex else RecordRow(path=path),))
    return f"{path},{hash_text(sha256_hex)},{size_bytes}\n" if sha256_hex else f"{path},,\n"


def hash_text(sha256_hex: str) -> str:
    """Return a digest as RECORD writes it: URL-safe base64 without padding."""
    return "sha256=" + base64.urlsafe_b64encode(bytes.fromhex(sha256_hex)).decode("ascii")[:-1]
