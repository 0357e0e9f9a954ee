# Made by ush from @WIRING@; what is changed here is lost.
if set -q USH_ENVIRONMENT; or string match -q -- @PATTERN@ "$PATH"
    test -r @AGAIN@; and source @AGAIN@
else
    set -gx PATH @WORDS@ $PATH
    set -gx @STAMP_NAME@ @STAMP@
end
@BODY@
