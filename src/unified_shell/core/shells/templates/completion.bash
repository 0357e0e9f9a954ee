# Made by ush; what is changed here is lost. Tab completes the words of ush, and the names of what is here.
_ush_complete() {
  local program=$1 answer IFS=$'\n'
  case $program in "~/"*) program=$HOME/${program#"~/"} ;; esac
  # The whole line, because bash breaks words at colons and equals signs, and its own idea of the last one.
  COMPREPLY=($("$program" complete bash "${COMP_LINE:0:COMP_POINT}" "${COMP_WORDS[COMP_CWORD]}" 2>/dev/null))
  case ${COMPREPLY-} in
  :files) COMPREPLY=() && compopt -o default 2>/dev/null ;;
  :folders) COMPREPLY=() && compopt -o dirnames 2>/dev/null ;;
  esac
}
complete -F _ush_complete ush unified-shell
