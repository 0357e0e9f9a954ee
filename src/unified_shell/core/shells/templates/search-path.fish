@SEED@set -l _ush_block @WORDS@
set -l _ush_there $@VARIABLE@[@SLICE@]
if test "$_ush_there" != "$_ush_block"
    set -l _ush_rest
    for _ush_one in $@VARIABLE@
        contains -- $_ush_one $_ush_block; or set -a _ush_rest $_ush_one
    end
    set -gx --path @VARIABLE@ @ORDER@
end
