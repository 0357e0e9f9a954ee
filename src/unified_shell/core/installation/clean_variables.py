"""Variables for starting a program undisturbed by what the session sets for others."""

from unified_shell.core.machine.host import CREDENTIAL_PREFIXES, Host

__all__ = ["clean_variables"]

# Each of these has been seen to keep a healthy interpreter from starting, or to let it load another's library.
DISTURBING = ("LD_PRELOAD", "LD_LIBRARY_PATH")


def clean_variables(host: Host) -> dict[str, str]:
    """Return variables for starting an interpreter undisturbed by what the session sets for others, and without what
    is for our own transfers alone.
    """
    return {
        name: value
        for name, value in host.environment().items()
        if not name.startswith(("PYTHON", *CREDENTIAL_PREFIXES)) and name not in DISTURBING
    }
