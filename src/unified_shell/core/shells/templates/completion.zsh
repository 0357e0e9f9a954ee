# Made by ush; what is changed here is lost. Tab completes the words of ush, and the names of what is here.
_ush_complete() {
  local -a answers
  answers=("${(@f)$("${~words[1]}" complete zsh "${(@Q)words[2,CURRENT-1]}" "${(Q)PREFIX}" 2>/dev/null)}")
  case $answers[1] in
  '') ;;
  :files) _files ;;
  :folders) _files -/ ;;
  -*) _describe -o -V 'option' answers ;;
  *) _describe -V 'ush' answers ;;
  esac
}
if (( ! $+functions[compdef] )); then
  autoload -Uz compinit
  compinit -i -d @DUMP@
fi
compdef _ush_complete ush unified-shell
