# Enters the environment @TITLE@ in this session: source @SELF@
# To leave it again: ush_leave. Entered within another one, leaving goes back to that.
function _ush_first
    set -l kept
    for entry in $PATH
        test "$entry" = "$argv[1]/bin"; or set -a kept $entry
    end
    set -gx PATH $argv[1]/bin $kept
end
function ush_leave --description 'Leave the environment that was entered'
    test -r $USH_ENVIRONMENT/leave.fish; and source $USH_ENVIRONMENT/leave.fish
    set -l kept
    for entry in $PATH
        test "$entry" = "$USH_ENVIRONMENT/bin"; or set -a kept $entry
    end
    set -gx PATH $kept
    if test -n "$USH_OUTER"
        set -l outer (string split : -- $USH_OUTER)
        set -gx USH_ENVIRONMENT $outer[1]
        set -gx USH_OUTER (string join : -- $outer[2..])
        _ush_first $USH_ENVIRONMENT
        return
    end
    if set -q _ush_home_before
        set -gx PYTHONHOME $_ush_home_before
        set -e _ush_home_before
    end
    if functions -q _ush_prompt_before
        functions -e fish_prompt
        functions -c _ush_prompt_before fish_prompt
        functions -e _ush_prompt_before
    end
    set -e USH_ENVIRONMENT
    set -e USH_OUTER
    functions -e ush_leave _ush_first
end
set -l _ush_new @PREFIX@
if test "$_ush_new" != "$USH_ENVIRONMENT"
    if test -n "$USH_ENVIRONMENT"
        set -gx USH_OUTER (string join : -- $USH_ENVIRONMENT (string split : -- "$USH_OUTER" | string match -v ''))
    end
    set -gx USH_ENVIRONMENT $_ush_new
    # This variable would make the environment's interpreter look for its library elsewhere.
    if set -q PYTHONHOME
        set -g _ush_home_before $PYTHONHOME
        set -e PYTHONHOME
    end
@VARIABLES@
end
@PATHS@
_ush_first $USH_ENVIRONMENT
if status is-interactive; and not functions -q _ush_prompt_before
    functions -q fish_prompt; or function fish_prompt
        printf '> '
    end
    functions -c fish_prompt _ush_prompt_before
    function fish_prompt
        printf '[%s] ' (string replace -r '.*/' '' -- $USH_ENVIRONMENT)
        _ush_prompt_before
    end
end
