# Made by ush from @WIRING@; what is changed here is lost.
# Stamp of the wiring: @STAMP@
@BODY@
if set -q USH_ENVIRONMENT; and test "$PATH[1]" != "$USH_ENVIRONMENT/bin"
    set -l _ush_rest
    for _ush_one in $PATH
        test "$_ush_one" = "$USH_ENVIRONMENT/bin"; or set -a _ush_rest $_ush_one
    end
    set -gx PATH $USH_ENVIRONMENT/bin $_ush_rest
end
set -gx @STAMP_NAME@ @STAMP@
