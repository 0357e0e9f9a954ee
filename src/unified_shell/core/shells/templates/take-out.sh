_ush_take_out() {
  _ush_list=:$1:
  while :; do
    case $_ush_list in
      *:"$2":*) _ush_list=${_ush_list%%:"$2":*}:${_ush_list#*:"$2":} ;;
      *) break ;;
    esac
  done
  _ush_list=${_ush_list#:}
  _ush_list=${_ush_list%:}
}
