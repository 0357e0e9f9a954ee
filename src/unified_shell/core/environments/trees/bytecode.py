"""Byte code of a wheel's content, made once for each interpreter version by the interpreter itself."""

import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import TracebackType

from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join, to_json_text
from unified_shell.core.machine.processes.conversations import Conversation
from unified_shell.core.store.contents import Content

__all__ = ["Compilers", "bytecode_name", "bytecode_part"]

# Few enough that all workers end about together, many enough that talking costs nothing beside compiling.
FILES_AT_ONCE = 40
# A batch takes seconds; ten minutes is a worker that hangs.
TIMEOUT_SECONDS = 600.0


def bytecode_part(facts: InterpreterFacts) -> str:
    """Return the name of the store's folder for this interpreter's byte code."""
    return f"bytecode-{facts.cache_tag}-{facts.magic}"


def bytecode_name(source: str, cache_tag: str) -> str:
    """Return where byte code belongs, beside its source (PEP 3147)."""
    folder, slash, name = source.rpartition("/")
    return f"{folder}{slash}__pycache__/{name.removesuffix('.py')}.{cache_tag}.pyc"


class Compilers:
    """One interpreter for each core, fed lists of files while other work goes on; they end with the block."""

    def __init__(self, facts: InterpreterFacts, host: Host) -> None:
        self._facts, self._host = facts, host
        self._own = threading.local()
        self._started: list[Conversation] = []
        self._pool = ThreadPoolExecutor(max_workers=os.cpu_count() or 1)

    def __enter__(self) -> "Compilers":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._pool.shutdown(wait=False, cancel_futures=True)
        for one in self._started:
            one.close()
        self._pool.shutdown(wait=True)

    def begin(self, content: Content, into: str) -> Callable[[], None]:
        """Begin to compile every module of a content into a folder of the same shape; returns what waits for the end."""
        names = [one.name for one in content.files if one.name.endswith(".py") and ".dist-info/" not in one.name]
        batches = [names[at : at + FILES_AT_ONCE] for at in range(0, len(names), FILES_AT_ONCE)]
        begun = [self._pool.submit(self._compile, batch, content, into) for batch in batches]

        def wait() -> None:
            for one in begun:
                one.result()

        return wait

    def _compile(self, names: Sequence[str], content: Content, into: str) -> None:
        tag = self._facts.cache_tag
        rows = [[content.place(name), join(into, bytecode_name(name, tag)), name] for name in names]
        talk: Conversation | None = getattr(self._own, "talk", None)
        if talk is None:
            program = str(Path(__file__).with_name("compile_files.py"))
            argv = (self._facts.real_executable, "-I", "-S", "-B", program)
            talk = Conversation(argv, environment=clean_variables(self._host))
            self._own.talk = talk
            self._started.append(talk)
        if talk.ask(to_json_text(rows).encode("ascii"), TIMEOUT_SECONDS) is None:
            # It ended over one of these files, which then go uncompiled; the next ones get another interpreter.
            self._own.talk = None
