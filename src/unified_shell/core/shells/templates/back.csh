set _ush_block = ( @WORDS@ )
@REST@
set path = ( $_ush_rest:q $_ush_block:q )
unset _ush_block _ush_rest _ush_one _ush_own _ush_same
