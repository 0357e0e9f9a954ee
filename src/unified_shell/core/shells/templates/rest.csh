  set _ush_rest = ( )
  foreach _ush_one ( $path:q )
    set _ush_same = 0
    foreach _ush_own ( $_ush_block:q )
      if ( $_ush_one:q == $_ush_own:q ) set _ush_same = 1
    end
    if ( ! $_ush_same ) set _ush_rest = ( $_ush_rest:q $_ush_one:q )
  end
