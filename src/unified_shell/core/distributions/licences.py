"""Licences as SPDX expressions: what a distribution says, where that is one, and whether it is among those allowed.

Sources: PEP 639 and the SPDX specification 2.3, annex D (AND binds closer than OR; WITH names an exception).
"""

import re
from collections.abc import Collection

from packaging.licenses import InvalidLicenseExpression, canonicalize_license_expression

__all__ = ["is_allowed", "spdx_expression"]

# Names of classifiers and free texts that mean one licence without doubt; "BSD License" and the like do not.
NAMES = {
    "apache 2.0": "Apache-2.0",
    "apache license 2.0": "Apache-2.0",
    "apache license, version 2.0": "Apache-2.0",
    "bsd 2-clause": "BSD-2-Clause",
    "bsd 3-clause": "BSD-3-Clause",
    "bsd 3-clause license": "BSD-3-Clause",
    "3-clause bsd license": "BSD-3-Clause",
    "isc license (iscl)": "ISC",
    "mit license": "MIT",
    "mozilla public license 2.0 (mpl 2.0)": "MPL-2.0",
    "python software foundation license": "PSF-2.0",
    "the unlicense (unlicense)": "Unlicense",
    "zlib/libpng license": "Zlib",
    "gnu general public license v2 (gplv2)": "GPL-2.0-only",
    "gnu general public license v3 (gplv3)": "GPL-3.0-only",
    "gnu general public license v3 or later (gplv3+)": "GPL-3.0-or-later",
    "gnu lesser general public license v3 (lgplv3)": "LGPL-3.0-only",
}
TOKEN = re.compile(r"\(|\)|[^\s()]+(?:\s+WITH\s+[^\s()]+)?")


def spdx_expression(text: str) -> str:
    """Return what a distribution says of its licence as an SPDX expression, or an empty text where it is none."""
    try:
        return str(canonicalize_license_expression(NAMES.get(text.strip().lower(), text)))
    except (InvalidLicenseExpression, ValueError):
        return ""


def is_allowed(expression: str, allowed: Collection[str]) -> bool:
    """Tell whether an SPDX expression can be met with these licences alone; one with an exception is also met by its bare
    licence.
    """
    tokens = TOKEN.findall(expression)
    met, rest = _alternatives(tokens, frozenset(one.lower() for one in allowed))
    return met and not rest


def _alternatives(tokens: list[str], allowed: frozenset[str]) -> tuple[bool, list[str]]:
    met, rest = _together(tokens, allowed)
    while rest[:1] == ["OR"]:
        other, rest = _together(rest[1:], allowed)
        met = met or other
    return met, rest


def _together(tokens: list[str], allowed: frozenset[str]) -> tuple[bool, list[str]]:
    met, rest = _one(tokens, allowed)
    while rest[:1] == ["AND"]:
        other, rest = _one(rest[1:], allowed)
        met = met and other
    return met, rest


def _one(tokens: list[str], allowed: frozenset[str]) -> tuple[bool, list[str]]:
    if not tokens:
        return False, []
    if tokens[0] == "(":
        met, rest = _alternatives(tokens[1:], allowed)
        return met, rest[1:]
    name = tokens[0].lower()
    return name in allowed or re.split(r"\s+with\s+", name)[0] in allowed, tokens[1:]
