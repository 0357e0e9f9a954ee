@rem Enters the environment @TITLE@ in this prompt when it is called; "call leave.cmd" leaves it.
@if defined USH_ENVIRONMENT if exist "%USH_ENVIRONMENT%\leave.cmd" call "%USH_ENVIRONMENT%\leave.cmd"
@set "_USH_PATH=%PATH%"
@set "_USH_PROMPT=%PROMPT%"
@set "USH_ENVIRONMENT=@PREFIX@"
@set "PATH=@PATH@"
@set "PROMPT=(@TITLE@) %PROMPT%"
@VARIABLES@
