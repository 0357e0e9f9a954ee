"""Lines of plans are data; every kind has its words, and what a fact holds is never read as a sentence."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unified_shell.core.changes.plan import About, LineKind, plan_line
from unified_shell.views.plan_sentences import FACT, SENTENCES, sentence_of


def test_every_kind_of_line_has_its_words() -> None:
    assert set(SENTENCES) == set(About)


@pytest.mark.parametrize(
    ("about", "fields", "subject", "detail"),
    [
        (About.ENVIRONMENT, {"name": "hive", "prefix": "/h/x"}, "environment hive", "~/x"),
        (
            About.PACKAGE,
            {"name": "hum", "version": "2", "before": "1", "is_requested": True, "size_bytes": 2000},
            "hum 1 → 2",
            "requested; 2.0 kB",
        ),
        (
            About.PACKAGE,
            {"name": "hum", "version": "2", "reason": "bee 1 requires hum"},
            "hum 2",
            "bee 1 requires hum",
        ),
        (
            About.UNKNOWN_EXTRA,
            {"name": "a", "version": "1", "extra": "x"},
            "a 1 has no extra x; it has no extras",
            "",
        ),
        (
            About.UNKNOWN_EXTRA,
            {"name": "a", "version": "1", "extra": "x", "extras": ("y", "z")},
            "a 1 has no extra x; it has y, z",
            "",
        ),
        (About.DOWNLOAD, {"files": 1}, "1 file, of unknown size", ""),
        (About.SCRIPT_TIME, {"seconds": 0.5}, "it runs in every new session, and takes 0.5 s", ""),
        (About.SCRIPT_TIME, {"seconds": 5.0, "slow": True}, "each new session waits 5.0 s for it", ""),
        (
            About.NEW_COMMANDS,
            {"commands": tuple("abcdefghij")},
            "new commands",
            "a, b, c, d, e, f, g, h and 2 others",
        ),
    ],
)
def test_sentences(about: About, fields: dict[str, Any], subject: str, detail: str) -> None:
    assert sentence_of(plan_line(LineKind.NOTE, about, **fields), "/h") == (subject, detail)


NAMES = st.text(alphabet="[]{}|:;name ", min_size=1, max_size=12).filter(lambda name: name == name.strip("; "))


@given(NAMES, st.sampled_from(sorted(About, key=lambda one: one.value)))
def test_a_name_is_never_read_as_a_sentence(name: str, about: About) -> None:
    """Each fact stands in its line as it is: brackets and braces in it mean nothing."""
    fields: dict[str, Any] = {
        fact[1]: name for text in SENTENCES[about] for fact in FACT.finditer(text) if not fact[2]
    }
    hollow: dict[str, Any] = dict.fromkeys(fields, "Q" * len(name))
    plain = plan_line(LineKind.NOTE, about, **hollow)
    subject, detail = sentence_of(plain, "")
    wanted = (subject.replace("Q" * len(name), name), detail.replace("Q" * len(name), name))
    assert sentence_of(plan_line(LineKind.NOTE, about, **fields), "") == wanted
