# Made by ush from @WIRING@; what is changed here is lost.
# Stamp of the wiring: @STAMP@
if ( ! $?PATH ) setenv PATH /usr/bin:/bin
@BODY@
if ( $?USH_ENVIRONMENT ) then
  set _ush_first = $USH_ENVIRONMENT:q/bin
  if ( $path[1]:q != $_ush_first:q ) then
    set _ush_rest = ( )
    foreach _ush_one ( $path:q )
      if ( $_ush_one:q != $_ush_first:q ) set _ush_rest = ( $_ush_rest:q $_ush_one:q )
    end
    set path = ( $_ush_first:q $_ush_rest:q )
    unset _ush_rest _ush_one
  endif
  unset _ush_first
endif
setenv @STAMP_NAME@ @STAMP@
