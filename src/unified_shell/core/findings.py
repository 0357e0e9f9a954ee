"""The answer of one check: what was asked of what, and whether it holds."""

from msgspec import Struct

from .next_steps import NextStep

__all__ = ["Finding"]


class Finding(Struct, frozen=True, kw_only=True):
    """One thing that was verified.

    `subject` is what was looked at, `question` what was asked of it, `answer` what came back: a fact
    where it `passed`, else the cause. `remedy` is the command to type next. One that did not pass and
    `puts_back` makes the executor put its change back at once.
    """

    subject: str
    question: str
    passed: bool
    answer: str = ""
    remedy: NextStep = ""
    puts_back: bool = False
    elapsed_seconds: float = 0.0
