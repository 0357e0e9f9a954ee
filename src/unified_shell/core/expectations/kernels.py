"""A notebook kernel: it is started, runs a cell, and is ended, through the messaging protocol's reference client."""

import contextlib
import os
import tempfile
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.machine.own_extras import extra_line

__all__ = ["CellRun", "run_cell"]


class CellRun(Struct, frozen=True, kw_only=True):
    """What came of a cell: what it printed, what went wrong, or why it was not tried."""

    printed: str = ""
    trouble: str = ""
    not_tried: str = ""


def run_cell(argv: Sequence[str], cell: str, variables: Mapping[str, str], *, limit_seconds: float) -> CellRun:
    """Start a kernel by its command line (with `{connection_file}` in it), run a cell, and end it."""
    try:
        from jupyter_client.kernelspec import KernelSpec
        from jupyter_client.manager import KernelManager
    except ImportError:
        return CellRun(not_tried=f"needs the kernels extra: {extra_line('kernels')}")
    printed: list[str] = []

    def on_output(message: dict[str, dict[str, object]]) -> None:
        content = message["content"]
        data = content.get("data")
        if "text" in content:
            printed.append(str(content["text"]))
        elif isinstance(data, dict):
            printed.append(str(data.get("text/plain", "")))

    with tempfile.TemporaryDirectory(prefix="ush-kernel-") as folder, open(os.devnull, "wb") as nowhere:
        # Sockets in this folder: nobody else on this machine can reach the kernel.
        where = {"transport": "ipc", "ip": os.path.join(folder, "socket")} if os.name == "posix" else {}
        manager = KernelManager(connection_file=os.path.join(folder, "kernel.json"), **where)
        manager._kernel_spec = KernelSpec(argv=list(argv), display_name="tried")
        try:
            manager.start_kernel(env=dict(variables), cwd=folder, stdout=nowhere, stderr=nowhere)
            client = manager.blocking_client()
            client.start_channels()
            try:
                client.wait_for_ready(timeout=limit_seconds)
                reply = client.execute_interactive(cell, timeout=limit_seconds, output_hook=on_output)
            finally:
                client.stop_channels()
        except (RuntimeError, TimeoutError, OSError) as error:
            return CellRun(trouble=str(error).splitlines()[0] if str(error) else type(error).__name__)
        finally:
            with contextlib.suppress(RuntimeError):
                manager.shutdown_kernel(now=True)
    content = reply["content"]
    if content.get("status") != "ok":
        return CellRun(trouble=f"{content.get('ename')}: {content.get('evalue')}")
    return CellRun(printed="".join(printed))
