# Leaves the environment that was entered; `ush_leave` reads it.
@VARIABLES@
set _ush_gone = ( $USH_ENVIRONMENT:q/bin @GONE@ )
set _ush_rest = ( )
foreach _ush_one ( $path:q )
  set _ush_same = 0
  foreach _ush_own ( $_ush_gone:q )
    if ( $_ush_one:q == $_ush_own:q ) set _ush_same = 1
  end
  if ( ! $_ush_same ) set _ush_rest = ( $_ush_rest:q $_ush_one:q )
end
set path = ( $_ush_rest:q )
if ( $?prompt ) then
  set prompt = "$prompt:s/[$USH_ENVIRONMENT:t] //"
endif
set _ush_outer = ""
if ( $?USH_OUTER ) then
  set _ush_outer = $USH_OUTER:q
endif
if ( $_ush_outer:q != "" ) then
  setenv USH_ENVIRONMENT "`printf %s $_ush_outer:q | cut -d: -f1`"
  set _ush_after = "`printf %s: $_ush_outer:q | cut -d: -f2-`"
  if ( $_ush_after:q == "" ) then
    unsetenv USH_OUTER
  else
    setenv USH_OUTER $_ush_after:q
  endif
  unset _ush_after
  set _ush_block = ( $USH_ENVIRONMENT:q/bin )
@REST@
  set path = ( $_ush_block:q $_ush_rest:q )
  unset _ush_block
else
  unsetenv USH_ENVIRONMENT
  unsetenv USH_OUTER
  unalias ush_leave
endif
unset _ush_gone _ush_rest _ush_one _ush_own _ush_same _ush_outer
