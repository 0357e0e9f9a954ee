# Enters the environment @TITLE@ in this session: . @SELF@
# To leave it again: ush_leave. Entered within another one, leaving goes back to that.
@TAKE_OUT@
_ush_first() {
  _ush_take_out "${PATH-}" "$1/bin"
  PATH=$1/bin${_ush_list:+:$_ush_list}
  export PATH
}
ush_leave() {
  if [ -r "$USH_ENVIRONMENT/leave.sh" ]; then
    . "$USH_ENVIRONMENT/leave.sh"
  fi
  _ush_take_out "${PATH-}" "$USH_ENVIRONMENT/bin"
  PATH=$_ush_list
  export PATH
  if [ -n "${PS1-}" ]; then
    PS1=${PS1#"[${USH_ENVIRONMENT##*/}] "}
  fi
  if [ -n "${USH_OUTER-}" ]; then
    USH_ENVIRONMENT=${USH_OUTER%%:*}
    _ush_list=${USH_OUTER#"$USH_ENVIRONMENT"}
    USH_OUTER=${_ush_list#:}
    export USH_ENVIRONMENT USH_OUTER
    _ush_first "$USH_ENVIRONMENT"
  else
    if [ -n "${_ush_home_before+set}" ]; then
      PYTHONHOME=$_ush_home_before
      export PYTHONHOME
    fi
    unset USH_ENVIRONMENT USH_OUTER _ush_home_before
    unset -f ush_leave _ush_first _ush_take_out
  fi
  unset _ush_list
  hash -r 2>/dev/null || :
}
_ush_new=@PREFIX@
if [ "$_ush_new" != "${USH_ENVIRONMENT-}" ]; then
  if [ -n "${USH_ENVIRONMENT-}" ]; then
    USH_OUTER=$USH_ENVIRONMENT${USH_OUTER:+:$USH_OUTER}
    export USH_OUTER
  fi
  USH_ENVIRONMENT=$_ush_new
  export USH_ENVIRONMENT
  # This variable would make the environment's interpreter look for its library elsewhere.
  if [ -n "${PYTHONHOME+set}" ]; then
    _ush_home_before=$PYTHONHOME
    unset PYTHONHOME
  fi
@VARIABLES@
fi
@PATHS@
_ush_first "$USH_ENVIRONMENT"
if [ -n "${PS1-}" ]; then
  PS1="[${USH_ENVIRONMENT##*/}] ${PS1#"[${USH_ENVIRONMENT##*/}] "}"
fi
unset _ush_new _ush_list
hash -r 2>/dev/null || :
