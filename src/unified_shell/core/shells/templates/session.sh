# Made by ush from @WIRING@; what is changed here is lost.
# Stamp of the wiring: @STAMP@
@TAKE_OUT@
@BODY@
if [ -n "${USH_ENVIRONMENT-}" ]; then
  case ${PATH-}: in
    "$USH_ENVIRONMENT/bin":*) ;;
    *)
      _ush_take_out "${PATH-}" "$USH_ENVIRONMENT/bin"
      PATH=$USH_ENVIRONMENT/bin${_ush_list:+:$_ush_list}
      export PATH
      ;;
  esac
fi
unset -f _ush_take_out
unset _ush_list _ush_block
@STAMP_NAME@=@STAMP@
export @STAMP_NAME@
