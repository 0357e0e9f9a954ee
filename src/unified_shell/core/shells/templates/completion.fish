# Made by ush; what is changed here is lost. Tab completes the words of ush, and the names of what is here.
function _ush_complete
    set -l words (commandline -opc)
    set -l current (commandline -ct)
    set -l answers ($words[1] complete fish $words[2..] (string unescape -- "$current"; or echo "$current") 2>/dev/null)
    switch "$answers[1]"
        case :files
            __fish_complete_path "$current"
        case :folders
            __fish_complete_directories "$current" ''
        case '*'
            printf '%s\n' $answers
    end
end
complete -c ush -k -f -a '(_ush_complete)'
complete -c unified-shell -k -f -a '(_ush_complete)'
