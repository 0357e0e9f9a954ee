# Made by ush; what is changed here is lost. Tab completes the words of ush, and the names of what is here.
complete ush 'p/*/`ush complete tcsh`/'
complete unified-shell 'p/*/`unified-shell complete tcsh`/'
