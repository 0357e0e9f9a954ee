# Enters the environment @TITLE@ in this session: source @SELF@
# To leave it again: ush_leave. Entered within another one, leaving goes back to that.
set _ush_new = @PREFIX@
set _ush_old = ""
# On one line, the variable would be expanded even where it is not set.
if ( $?USH_ENVIRONMENT ) then
  set _ush_old = $USH_ENVIRONMENT:q
endif
if ( $_ush_new:q != $_ush_old:q ) then
  if ( $_ush_old:q != "" ) then
    if ( $?USH_OUTER ) then
      setenv USH_OUTER $_ush_old:q":$USH_OUTER"
    else
      setenv USH_OUTER $_ush_old:q
    endif
  endif
  setenv USH_ENVIRONMENT $_ush_new:q
  unsetenv PYTHONHOME
  if ( $?prompt ) then
    set prompt = "[$_ush_new:t] $prompt:q"
  endif
@VARIABLES@
endif
@PATHS@
set _ush_block = ( $USH_ENVIRONMENT:q/bin )
@REST@
set path = ( $_ush_block:q $_ush_rest:q )
unset _ush_block _ush_rest _ush_one _ush_own _ush_same
alias ush_leave 'source $USH_ENVIRONMENT:q/leave.csh'
unset _ush_new _ush_old
