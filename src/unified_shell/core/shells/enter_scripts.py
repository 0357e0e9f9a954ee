"""The scripts that lie in an environment and enter it: to be sourced, or read by a session that is opened."""

from .dialects import DIALECTS, SH
from .dialects.dialect import template

__all__ = ["enter_scripts"]


def enter_scripts(name: str, prefix: str, home: str) -> dict[str, str]:
    """Return the scripts by their names relative to the environment's prefix."""
    scripts = {one.enter_name: one.enter_text(name=name, prefix=prefix, home=home) for one in DIALECTS}
    enter = SH.quote_place(f"{prefix}/enter.sh", home)
    return {
        **scripts,
        "leave.csh": template("leave.csh", REST=template("rest.csh").rstrip("\n")),
        "enter-bash.rc": template("enter-bash.rc", ENTER=enter),
        "enter-sh.rc": template("enter-sh.rc", ENTER=enter),
        "enter-ksh.rc": template("enter-ksh.rc", ENTER=enter, OWN=".kshrc"),
        "enter-mksh.rc": template("enter-ksh.rc", ENTER=enter, OWN=".mkshrc"),
        "enter-zsh/.zshenv": template("zshenv"),
        "enter-zsh/.zshrc": template("zshrc", ENTER=enter),
    }
