while :; do
case $_ush_list in
*:"$_ush_one":*) _ush_list=${_ush_list%%:"$_ush_one":*}:${_ush_list#*:"$_ush_one":} ;;
*) break ;;
esac
done
