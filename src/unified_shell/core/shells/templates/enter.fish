# Enters the environment @TITLE@ in this session: source @SELF@
# To leave it again: ush_leave
if functions -q ush_leave
    ush_leave
end
function ush_leave --description 'Leave the environment that was entered'
    set -l kept
    for entry in $PATH
        test "$entry" = "$USH_ENVIRONMENT/bin"; or set -a kept $entry
    end
    set -gx PATH $kept
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
    functions -e ush_leave
end
set -gx USH_ENVIRONMENT @PREFIX@
set -l kept
for entry in $PATH
    test "$entry" = "$USH_ENVIRONMENT/bin"; or set -a kept $entry
end
set -gx PATH $USH_ENVIRONMENT/bin $kept
# This variable would make the environment's interpreter look for its library elsewhere.
if set -q PYTHONHOME
    set -g _ush_home_before $PYTHONHOME
    set -e PYTHONHOME
end
if status is-interactive; and functions -q fish_prompt
    functions -c fish_prompt _ush_prompt_before
    function fish_prompt
        printf '%s' @PROMPT@
        _ush_prompt_before
    end
end
