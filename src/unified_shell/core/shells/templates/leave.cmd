@rem Leaves the environment that was entered in this prompt.
@if not defined USH_ENVIRONMENT goto :eof
@set "PATH=%_USH_PATH%"
@set "PROMPT=%_USH_PROMPT%"
@set "USH_ENVIRONMENT="
@set "_USH_PATH="
@set "_USH_PROMPT="
@VARIABLES@
