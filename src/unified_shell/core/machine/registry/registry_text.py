"""Registry files (`.reg`, format 5.00): read in any encoding that they have, and written as their own programs do: UTF-16 with
a byte order mark. Without the mark, values given as bytes are taken for texts of one byte a letter.
"""

import codecs
import re
from collections.abc import Mapping

from .registry_values import RegistryKind, RegistryValue

__all__ = ["RegistryContent", "parse_registry_text", "registry_bytes"]

HEADER = "Windows Registry Editor Version 5.00"
LINE_WIDTH = 76
TYPES = {RegistryKind.TEXT: "hex(1)", RegistryKind.EXPANDABLE: "hex(2)"}
QUOTED = re.compile(r'"((?:[^"\\]|\\.)*)"', re.DOTALL)
HEX = re.compile(r"hex\(([12])\):([0-9a-fA-F,\s]*)")

# For each key its values by name; what is of another kind than text is kept as it stood.
RegistryContent = dict[str, dict[str, RegistryValue | str]]


def parse_registry_text(content: bytes) -> RegistryContent:
    """Return the keys and values of a registry file; raises ValueError for what is none."""
    utf16 = content.startswith((b"\xff\xfe", b"\xfe\xff"))
    text = content.decode("utf-16", "surrogatepass") if utf16 else content.decode("utf-8-sig")
    text = re.sub(r"\\\r?\n\s*", "", text)
    lines = [line.strip() for line in text.splitlines()]
    if not lines or lines[0] != HEADER:
        raise ValueError(f"a registry file begins with {HEADER!r}")
    found: RegistryContent = {}
    values: dict[str, RegistryValue | str] = {}
    for line in lines[1:]:
        if line.startswith("[") and line.endswith("]"):
            values = found.setdefault(line[1:-1], {})
        elif line and not line.startswith(";"):
            name, told = _split(line)
            values[name] = _value(told)
    return found


def registry_bytes(content: Mapping[str, Mapping[str, RegistryValue | str]], remarks: str = "") -> bytes:
    """Return a registry file; texts are written as bytes of UTF-16, which say their kind."""
    lines = [HEADER, ""]
    lines += [f"; {line}" for line in remarks.splitlines()]
    for key, values in content.items():
        lines.append(f"[{key}]")
        lines += [f"{_name(name)}={_told(value, len(name))}" for name, value in values.items()]
        lines.append("")
    text = "\r\n".join(lines)
    return codecs.BOM_UTF16_LE + text.encode("utf-16-le", "surrogatepass")


def _split(line: str) -> tuple[str, str]:
    if line.startswith("@="):
        return "", line[2:]
    quoted = QUOTED.match(line)
    if quoted is None or line[quoted.end() : quoted.end() + 1] != "=":
        raise ValueError(f"no name and value: {line[:60]!r}")
    return _plain(quoted[1]), line[quoted.end() + 1 :]


def _value(told: str) -> RegistryValue | str:
    quoted = QUOTED.fullmatch(told)
    if quoted is not None:
        return RegistryValue(text=_plain(quoted[1]))
    found = HEX.fullmatch(told)
    if found is None:
        return told
    raw = bytes.fromhex(found[2].replace(",", "").replace(" ", ""))
    text = raw.decode("utf-16-le", "surrogatepass").rstrip("\0")
    kind = RegistryKind.TEXT if found[1] == "1" else RegistryKind.EXPANDABLE
    return RegistryValue(text=text, kind=kind)


def _told(value: RegistryValue | str, used: int) -> str:
    if isinstance(value, str):
        return value
    raw = (value.text + "\0").encode("utf-16-le", "surrogatepass")
    line, lines = f"{TYPES[value.kind]}:", []
    used += 3
    for at, byte in enumerate(raw):
        told = f"{byte:02x}" + ("," if at + 1 < len(raw) else "")
        if used + len(line) + len(told) > LINE_WIDTH:
            lines.append(line + "\\")
            line, used = "  ", 0
        line += told
    return "\r\n".join([*lines, line])


def _name(name: str) -> str:
    if not name:
        return "@"
    return '"' + name.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _plain(text: str) -> str:
    return re.sub(r"\\(.)", r"\1", text, flags=re.DOTALL)
