"""One `[[check]]`, as a person or a description writes it."""

from enum import Enum

from msgspec import Struct

__all__ = ["Comparison", "Expectation", "ExpectedFile", "ExpectedNumber"]

# A check that says nothing of its time is given this much.
LIMIT_SECONDS = 60


class Comparison(Enum):
    """How the results of one process and of several are compared."""

    BYTES = "bytes"
    LINES = "lines"
    SORTED_LINES = "sorted-lines"
    NOT_COMPARED = "no"


class ExpectedNumber(Struct, frozen=True, kw_only=True):
    """A number in a text: the group of the first match of `pattern` must be `value`, give or take `within`."""

    pattern: str
    value: float
    within: float = 0.0


class ExpectedFile(Struct, frozen=True, kw_only=True):
    """A file that a command must make, by its name in the working folder: at least so large, a table of so many rows
    (without its header) and columns, numbers of a column within bounds, a picture that opens. Zero and empty ask nothing.

    Of any text: it holds each of `says`, each pattern of `counts` so many times, each of `numbers`; `same_as` is another
    file in the folder with the same bytes. `compare` says how serial and parallel results are compared, without the
    lines that `leave_out` matches.
    """

    file: str
    least_bytes: int = 0
    rows: int = 0
    least_rows: int = 0
    columns: int = 0
    column: str = ""
    least: float | None = None
    most: float | None = None
    picture: bool = False
    says: tuple[str, ...] = ()
    counts: tuple[tuple[str, int], ...] = ()
    numbers: tuple[ExpectedNumber, ...] = ()
    same_as: str = ""
    compare: Comparison = Comparison.BYTES
    leave_out: str = ""


class Expectation(Struct, frozen=True, kw_only=True):
    """One check. Exactly one of `command`, `module`, `script`, `serves` and `kernel` says what is tried.

    A command's exit code must be one of `exit_codes`, its output hold `says` and fit `pattern`, and hold nothing of
    `never_says`; the first match of `version_pattern` is the version that must fit `version`. `environment` is where a
    module, script or command is tried, or whose kernel runs `cell`; `prints` is all that a script or cell prints.
    `expression` is evaluated with the module imported. A service is up when `port` or `url` answers. `needs` are what else
    must be there: display, network, device:PATH, licence:FILE or VARIABLE.
    """

    name: str = ""
    command: tuple[str, ...] = ()
    module: str = ""
    script: str = ""
    serves: tuple[str, ...] = ()
    kernel: str = ""
    environment: str = ""
    input: str = ""
    folder: str = ""
    exit_codes: tuple[int, ...] = (0,)
    says: str = ""
    pattern: str = ""
    never_says: tuple[str, ...] = ()
    version: str = ""
    version_pattern: str = ""
    expression: str = ""
    cell: str = ""
    prints: str = ""
    port: int = 0
    url: str = ""
    makes: tuple[ExpectedFile, ...] = ()
    limit_seconds: int = LIMIT_SECONDS
    limit_bytes: int = 0
    needs: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """What it asks, in words."""
        if self.name:
            return self.name
        if self.module:
            return f"module {self.module}: {self.expression}" if self.expression else f"module {self.module} loads"
        if self.kernel:
            return f"the kernel of {self.kernel} runs a cell"
        words = self.command or self.serves or (self.script,)
        return f"{' '.join(words)} {self.version}".rstrip()
