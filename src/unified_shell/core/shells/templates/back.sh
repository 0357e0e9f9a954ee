_ush_block=@JOINED@
case :${@VARIABLE@-}: in
  *:"$_ush_block":*) ;;
  *)
    _ush_list=${@VARIABLE@-}
@TAKE_OUT@
    @VARIABLE@=${_ush_list:+$_ush_list:}$_ush_block
    export @VARIABLE@
    ;;
esac
