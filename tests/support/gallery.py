"""Startup files as people have them: frameworks, early returns, here-documents, functions, `exec`, prompts, links.

Each case is a home: its files, links, shell and mode. `code` is how wiring a directory ends: 0 done, 1 done but something
wins against it, 3 refused, 5 put back. `found`: a command of the directory is found in a new session at a real terminal.
"""

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Case:
    files: dict[str, str | bytes]
    shell: str = "bash"
    login: bool = False
    links: dict[str, str] = field(default_factory=dict)
    modes: dict[str, int] = field(default_factory=dict)
    code: int = 0
    found: bool = True


GUARD = "case $- in\n  *i*) ;;\n  *) return ;;\nesac\n"
FRAMEWORK = (
    'export HUM_DIR="$HOME/.humrc.d"\nplugins=(bees wax)\nfor part in "$HUM_DIR"/*.sh; do\n'
    '  [ -r "$part" ] && . "$part"\ndone\nunset part\n'
)
HEREDOC = (
    "make_job() {\n  cat > job.sh <<'JOB'\n#!/bin/sh\nexec weigh-hive \"$@\"\nJOB\n}\n"
    "cat > ~/job.sh <<EOF\n#!/bin/sh\nexit 0\nreturn\nEOF\nalias job=make_job\n"
)

GALLERY: dict[str, Case] = {
    "nothing at all": Case({}),
    "empty": Case({".bashrc": ""}),
    "no newline at the end": Case({".bashrc": "# the end"}),
    "a guard for interactive sessions": Case({".bashrc": GUARD + "alias ll='ls -l'\n"}),
    "the guard in one line": Case({".bashrc": '[ -z "$PS1" ] && return\nHISTSIZE=1000\n'}),
    "return at a terminal's end": Case({".bashrc": "alias a=b\n[ -t 1 ] && return\necho never\n"}),
    "a plain return": Case({".bashrc": "alias a=b\nreturn\nPATH=/nowhere\n"}),
    "an indented return that is taken": Case({".bashrc": "if true; then\n  return\nfi\necho never\n"}),
    "a return in a branch that is not taken": Case({".bashrc": "if false; then\nreturn\nfi\nalias a=b\n"}),
    "a return in a function": Case({".bashrc": 'hum() {\n[ -n "$1" ] ||\nreturn\necho hum\n}\nhum x >/dev/null\n'}),
    "a here-document with exit": Case({".bashrc": HEREDOC}),
    "a framework of parts": Case({".bashrc": FRAMEWORK, ".humrc.d/bees.sh": "bees() { :; }\n"}),
    "another shell at a terminal": Case({".bashrc": "[ -t 1 ] && [ -x /bin/dash ] && exec /bin/dash -i\n"}),
    "a prompt that sets things up": Case(
        {".bashrc": "PROMPT_COMMAND='PS1=\"$(pwd)> \"; history -a'\nHISTCONTROL=ignoreboth\n"}
    ),
    "a prompt that takes the path back": Case(
        {".bashrc": "kept=$PATH\nPROMPT_COMMAND='PATH=$kept'\n"}, code=1, found=False
    ),
    "a line below that wins": Case(
        {".bashrc": "export PATH=$HOME/old/bin:$PATH\n", "old/bin/other": "#!/bin/sh\n"},
        modes={"old/bin/other": 0o755},
    ),
    "set -e and a failing line": Case({".bashrc": "set +e\nfalse\nalias a=b\n"}),
    "carriage returns": Case({".bashrc": b"alias a=b\r\nexport HIVE=1\r\n"}),
    "not UTF-8": Case({".bashrc": b"# caf\xe9\nalias a=b\n"}),
    "a comment that ends in a backslash": Case({".bashrc": "alias a=b\n# the end \\\n"}),
    "a link to a folder of dotfiles": Case({"dot/bashrc": "alias a=b\n"}, links={".bashrc": "dot/bashrc"}),
    "read-only": Case({".bashrc": "alias a=b\n"}, modes={".bashrc": 0o444}),
    "a login file that reads the other": Case(
        {".bash_profile": "[ -f ~/.bashrc ] && . ~/.bashrc\n", ".bashrc": GUARD}, login=True
    ),
    "a profile": Case({".profile": "umask 022\n"}, login=True),
    "open here-document": Case({".bashrc": "cat <<EOF\nnever closed\n"}, code=3, found=False),
    "a syntax error": Case({".bashrc": "if true; then\n"}, code=3, found=False),
    "zsh with options": Case({".zshrc": "setopt no_nomatch promptsubst\nautoload -Uz compinit\n"}, shell="zsh"),
    "zsh in a folder of its own, not exported": Case(
        {".zshenv": "ZDOTDIR=$HOME/.config/zsh\n", ".config/zsh/.zshrc": "alias a=b\n"}, shell="zsh"
    ),
    "zsh with a function that returns": Case({".zshrc": "hum() {\n  return 0\n}\nhum\n"}, shell="zsh"),
    "fish with a guard": Case(
        {".config/fish/config.fish": "status is-interactive; or exit\nset -g a b\n"}, shell="fish"
    ),
    "fish that ends early": Case({".config/fish/config.fish": "set -g a b\nexit\nset -g c d\n"}, shell="fish"),
    "tcsh": Case({".tcshrc": "set prompt = '> '\nalias a b\n"}, shell="tcsh"),
    "ksh": Case({".kshrc": "alias a=b\n", ".profile": "ENV=$HOME/.kshrc; export ENV\n"}, shell="ksh"),
}
