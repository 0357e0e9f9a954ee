set -l _ush_block @WORDS@
set -l _ush_joined (string join : -- $_ush_block | string collect)
if not string match -q -r -- '(^|:)'(string escape --style=regex -- $_ush_joined)'(:|$)' (string join : -- $@VARIABLE@ | string collect)
    set -l _ush_rest
    for _ush_one in $@VARIABLE@
        contains -- $_ush_one $_ush_block; or set -a _ush_rest $_ush_one
    end
    set -gx --path @VARIABLE@ @ORDER@
end
