# Enters the environment @TITLE@ in this session: . @SELF@
# To leave it again: ush_leave
if command -v ush_leave >/dev/null 2>&1; then
  ush_leave
fi
@TAKE_OUT@
ush_leave() {
  _ush_take_out "${PATH-}" "$USH_ENVIRONMENT/bin"
  PATH=$_ush_list
  export PATH
  if [ -n "${_ush_home_before+set}" ]; then
    PYTHONHOME=$_ush_home_before
    export PYTHONHOME
  fi
  if [ -n "${_ush_prompt_before+set}" ]; then
    PS1=$_ush_prompt_before
  fi
  unset USH_ENVIRONMENT _ush_home_before _ush_prompt_before _ush_list
  unset -f ush_leave _ush_take_out
  hash -r 2>/dev/null || :
}
USH_ENVIRONMENT=@PREFIX@
export USH_ENVIRONMENT
_ush_take_out "${PATH-}" "$USH_ENVIRONMENT/bin"
PATH=$USH_ENVIRONMENT/bin${_ush_list:+:$_ush_list}
export PATH
unset _ush_list
# This variable would make the environment's interpreter look for its library elsewhere.
if [ -n "${PYTHONHOME+set}" ]; then
  _ush_home_before=$PYTHONHOME
  unset PYTHONHOME
fi
if [ -n "${PS1-}" ]; then
  _ush_prompt_before=$PS1
  PS1=@PROMPT@$PS1
fi
hash -r 2>/dev/null || :
