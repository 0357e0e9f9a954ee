# Made by ush from @WIRING@; what is changed here is lost.
case ${USH_ENVIRONMENT+@COMMON@}${PATH-} in
@PATTERNS@) [ ! -r @AGAIN@ ] || . @AGAIN@ ;;
*) export PATH="@JOINED@${PATH:+:$PATH}" @STAMP_NAME@=@STAMP@
esac
@BODY@