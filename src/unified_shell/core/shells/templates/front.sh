case @SEEN@:${@VARIABLE@-}: in
@SEEN_AS@*:@JOINED@:*) ;;
*)
case :${@VARIABLE@-}: in
*:@COMMON@*)
_ush_list=:$@VARIABLE@:
for _ush_one in @WORDS@; do
@TAKE_OUT@
done
_ush_list=${_ush_list#:}
@VARIABLE@=${_ush_list%:}
unset _ush_list _ush_one ;;
esac
@VARIABLE@=@JOINED@@REST@
export @VARIABLE@ ;;
esac
