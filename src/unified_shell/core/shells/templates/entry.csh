if ( $?@VARIABLE@ ) then
  if ( ":${@VARIABLE@}:" !~ *:@WORD@:* ) setenv @VARIABLE@ @ORDER@
else
  setenv @VARIABLE@ @ALONE@
endif
