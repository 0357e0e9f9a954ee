"""The one table of checks."""

from .check import Check
from .command_checks import COMMAND_CHECKS
from .directory_checks import DIRECTORY_CHECKS
from .environment_checks import ENVIRONMENT_CHECKS
from .file_checks import FILE_CHECKS
from .installer_checks import INSTALLER_CHECKS
from .interpreter_checks import INTERPRETER_CHECKS
from .module_checks import MODULE_CHECKS
from .session_file_checks import SESSION_CHECKS
from .suite_checks import SUITE_CHECKS
from .variable_checks import VARIABLE_CHECKS

__all__ = ["CHECKS"]

CHECKS: tuple[Check, ...] = (
    *SESSION_CHECKS,
    *INSTALLER_CHECKS,
    *DIRECTORY_CHECKS,
    *VARIABLE_CHECKS,
    *COMMAND_CHECKS,
    *FILE_CHECKS,
    *INTERPRETER_CHECKS,
    *SUITE_CHECKS,
    *ENVIRONMENT_CHECKS,
    *MODULE_CHECKS,
)
