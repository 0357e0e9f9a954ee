"""How each shell is made to trace its startup files. Established by trying; see the notes in each recipe."""

import os
from collections.abc import Callable, Mapping

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import Mode
from unified_shell.core.shells.dialects.overlays import overlay_fish
from unified_shell.core.shells.dialects.table import BASH

from .trace_records import Record

__all__ = ["RECIPES", "Recipe", "TraceJob"]


class TraceJob(Struct, frozen=True, kw_only=True):
    """What is to be traced: the startup files that this mode reads, in order, where to write, and which search path."""

    folder: str
    program: Place
    mode: Mode
    files: tuple[Place, ...]
    home: Place
    variables: Mapping[str, str]
    variable: str = "PATH"


Prepared = tuple[tuple[str, ...], dict[str, str], str]


def _as_it_is(record: Record, _job: TraceJob) -> Record:
    return record


class Recipe(Struct, frozen=True):
    """`prepare` returns the words, variables and the file that the trace is in (empty: standard error)."""

    prepare: Callable[[TraceJob], Prepared]
    parser: str
    shown_after: bool = False
    restored: Callable[[Record, TraceJob], Record] = _as_it_is


def _bash(job: TraceJob) -> Prepared:
    # bash as root ignores an inherited prefix, so the start-up is done by hand: the same files in order.
    out = join(job.folder, "trace")
    reads = "\n".join(f". {BASH.quote(file)}" for file in job.files)
    script = (
        f'exec 7>"$USH_TRACE"; BASH_XTRACEFD=7; PS4=$USH_PREFIX; unset USH_TRACE USH_PREFIX; set -x\n{reads}\n: END'
    )
    login = ("-l",) if job.mode is Mode.LOGIN else ()
    # With the stack of functions and files, so that what a function does is told by who called it.
    stack = "\x02${FUNCNAME[*]}\x02${BASH_LINENO[*]}\x02${BASH_SOURCE[*]@Q}"
    prefix = f"\x01$$\x02${{BASH_SUBSHELL}}\x02${{BASH_SOURCE[0]}}\x02${{LINENO}}\x02${{{job.variable}-}}{stack}\x03"
    words = ("bash", "--noprofile", "--norc", *login, "-i", "-c", script)
    return words, {"USH_TRACE": out, "USH_PREFIX": prefix}, out


def _zsh(job: TraceJob) -> Prepared:
    login = ("-l",) if job.mode is Mode.LOGIN else ()
    stack = "\x02${(j: :)zsh_eval_context}\x02${(F)funcfiletrace}\x02"
    prefix = f"\x01$$\x02${{ZSH_SUBSHELL}}\x02%x\x02%I\x02${{{job.variable}-}}{stack}\x03"
    return ("zsh", "-o", "promptsubst", "-x", *login, "-i", "-c", ":"), {"PS4": prefix}, ""


def _ksh(job: TraceJob) -> Prepared:
    # The line drifts inside and after sourced files, so it is not asked for.
    login = ("-l",) if job.mode is Mode.LOGIN else ()
    prefix = f"\x01$$\x02${{.sh.subshell}}\x02${{.sh.file}}\x020\x02${{{job.variable}-}}\x03"
    return ("ksh", "-x", *login, "-i", "-c", ":"), {"PS4": prefix}, ""


def _emulated(line: str, process: str) -> Callable[[TraceJob], Prepared]:
    """Shells without a variable for the file: an alias makes `.` keep its name."""

    def prepare(job: TraceJob) -> Prepared:
        script = join(job.folder, "emulate.sh")
        reads = "\n".join(f"eval '. {_inner(file)}'" for file in job.files)
        with open(script, "w", encoding="utf-8", errors="surrogateescape") as file:
            file.write(
                '_src() { local _of="$_TF" _rc; _TF=$1; command . "$1"; _rc=$?; _TF=$_of; return $_rc; }\n'
                "alias .=_src\nalias source=_src\nunset ENV; PS4=$USH_PREFIX; unset USH_PREFIX\nset -x\n"
                f"{reads}\n:\n{{ set +x; }} 2>/dev/null\n"
            )
        prefix = f"\x01{process}\x020\x02${{_TF}}\x02{line}\x02${{{job.variable}-}}\x03"
        words = (os.path.basename(job.program), "-i", "-c", f"\\. {BASH.quote(script)}")
        return words, {"ENV": "/dev/null", "USH_PREFIX": prefix}, ""

    return prepare


def _inner(file: str) -> str:
    """Return a file's name quoted for the dot command inside a single-quoted `eval`."""
    return BASH.quote(file).replace("'", "'\\''")


def _fish(job: TraceJob) -> Prepared:
    """An overlay of the person's folder whose first snippet watches PATH; the rest are links to theirs."""
    given = overlay_fish(job.folder, job.home, tuple(job.variables.items()))
    overlay = join(given["XDG_CONFIG_HOME"], "fish")
    with open(join(overlay, "conf.d", "000-ush-watch.fish"), "w", encoding="ascii") as file:
        file.write(
            f"function __ush_watch --on-variable {job.variable}\n"
            f"    printf '\\x01CHANGE\\x02%s\\x03' (string join : -- ${job.variable} | string collect) >&2\n"
            "    status stack-trace >&2\nend\n"
        )
    login = ("-l",) if job.mode is Mode.LOGIN else ()
    words = ("fish", "--private", *login, "-i", "-c", "true")
    return words, given, ""


def _from_overlay(record: Record, job: TraceJob) -> Record:
    overlay = join(job.folder, "config", "fish")
    # fish shortens the home in what it says of itself.
    if record.file.startswith("~/"):
        record = replace(record, file=job.home + record.file.removeprefix("~"))
    if not record.file.startswith(overlay):
        return record
    own = os.path.dirname(job.files[-1]) if job.files else join(job.home, ".config", "fish")
    return replace(record, file=own + record.file.removeprefix(overlay))


def _tcsh(job: TraceJob) -> Prepared:
    script = join(job.folder, "trace.csh")
    reads = "\n".join(f"source {file}" for file in job.files if " " not in file)
    with open(script, "w", encoding="utf-8", errors="surrogateescape") as out:
        out.write(f"alias source 'source \\!* ; : @END \\!:1'\nset prompt = '> '\nset echo\n{reads}\nunset echo\n")
    return ("tcsh", "-f", script), {}, ""


def _with_home(record: Record, job: TraceJob) -> Record:
    """tcsh shows what a line says, with the home as it stands there."""
    entries = [job.home + one[1:] if one == "~" or one.startswith("~/") else one for one in record.path.split(":")]
    return replace(record, path=":".join(entries))


RECIPES: dict[str, Recipe] = {
    "bash": Recipe(_bash, "prefixed"),
    "zsh": Recipe(_zsh, "prefixed"),
    "fish": Recipe(_fish, "fish", restored=_from_overlay),
    "ksh": Recipe(_ksh, "prefixed", shown_after=True),
    "mksh": Recipe(_emulated("${LINENO}", "$BASHPID"), "prefixed"),
    "sh": Recipe(_emulated("${LINENO:-0}", "$$"), "prefixed", shown_after=True),
    "tcsh": Recipe(_tcsh, "csh", restored=_with_home),
}
