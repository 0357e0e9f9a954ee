"""The scripts that lie in an environment and enter it: to be sourced, or read by a session that is opened."""

from unified_shell.core.machine.places import Place
from unified_shell.core.shells.dialects.dialect import SessionContent, template
from unified_shell.core.shells.dialects.table import DIALECTS, SH, dialect_named

from .wiring import Wiring

__all__ = ["enter_scripts"]

NOTHING = Wiring()


def enter_scripts(name: str, prefix: str, home: str, wiring: Wiring = NOTHING) -> dict[str, str]:
    """Return the scripts by their names relative to the environment's prefix; `wiring` is its own."""
    content = SessionContent(
        search_paths=wiring.search_paths(),
        variables=wiring.variables,
        home=Place(home),
        source=f"the environment {name}",
        stamp=wiring.stamp(),
    )
    scripts: dict[str, str] = {}
    for dialect in DIALECTS:
        scripts |= dialect.enter_scripts(name=name, prefix=prefix, content=content)
    enter = SH.quote_place(f"{prefix}/enter.sh", home)
    return {
        **scripts,
        "enter-bash.rc": template("enter-bash.rc", ENTER=enter),
        "enter-sh.rc": template("enter-sh.rc", ENTER=enter),
        "enter-ksh.rc": template("enter-ksh.rc", ENTER=enter, OWN=".kshrc"),
        "enter-mksh.rc": template("enter-ksh.rc", ENTER=enter, OWN=".mkshrc"),
        "enter-zsh/.zshenv": template("zshenv"),
        "enter-zsh/.zshrc": template("zshrc", ENTER=enter),
        "enter-tcsh/.tcshrc": template(
            "tcshrc", ENTER=dialect_named("tcsh").quote_place(f"{prefix}/enter.csh", home)
        ),
    }
