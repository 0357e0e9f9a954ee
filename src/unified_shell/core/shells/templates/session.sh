# Made by ush from @WIRING@; what is changed here is lost.
@BODY@
if [ -n "${USH_ENVIRONMENT-}" ]; then
case ${PATH-}: in
"$USH_ENVIRONMENT/bin":*) ;;
*)
_ush_list=:${PATH-}: _ush_one=$USH_ENVIRONMENT/bin
@TAKE_OUT@
_ush_list=${_ush_list#:}
_ush_list=${_ush_list%:}
PATH=$_ush_one${_ush_list:+:$_ush_list}
unset _ush_list _ush_one
export PATH ;;
esac
fi
@STAMP_NAME@=@STAMP@
export @STAMP_NAME@
