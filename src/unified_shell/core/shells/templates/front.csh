set _ush_block = ( @WORDS@ )
set _ush_there = 0
if ( $#path >= @COUNT@ ) then
  if ( @TESTS@ ) set _ush_there = 1
endif
if ( ! $_ush_there ) then
@REST@
  set path = ( $_ush_block:q $_ush_rest:q )
  unset _ush_rest _ush_one _ush_own _ush_same
endif
unset _ush_block _ush_there
