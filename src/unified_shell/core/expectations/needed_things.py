"""What a check needs beside programs, and whether this machine has it."""

import os

from unified_shell.core.machine.host import Host

__all__ = ["NEEDS", "lacking_need"]

NEEDS = ("display", "network", "device", "licence")


def lacking_need(needs: tuple[str, ...], host: Host) -> str:
    """Return why a check cannot be tried here; empty where all that it needs is here."""
    for need in needs:
        kind, _, what = need.partition(":")
        if kind == "display" and not (host.variable("DISPLAY") or host.variable("WAYLAND_DISPLAY")):
            return "needs a display, and this session has none"
        if kind == "network" and not _has_network():
            return "needs a network, and no interface is up"
        if kind == "device" and not (what and os.path.exists(what)):
            return (
                f"needs the device {what}, which is not there" if what else "needs a device, which it does not name"
            )
        if kind == "licence" and not (what and (os.path.exists(os.path.expanduser(what)) or host.variable(what))):
            return (
                f"needs the licence {what}, which is not there" if what else "needs a licence, which it does not name"
            )
    return ""


def _has_network() -> bool:
    import psutil

    return any(facts.isup and name != "lo" for name, facts in psutil.net_if_stats().items())
