# Run by the interpreter whose byte code is wanted, 3.8 to current. Each line of standard input is a list of files as
# JSON: source, target, and the name that is compiled in. Each is answered with an empty line. A file that does not
# compile is passed over, as an import would tell.
import json
import os
import py_compile
import sys

parent = os.getppid()
for line in sys.stdin:
    for source, target, shown in json.loads(line):
        if os.getppid() != parent:
            sys.exit()  # whoever wanted this was killed; its staging is about to be swept
        os.makedirs(os.path.dirname(target), exist_ok=True)
        try:
            py_compile.compile(source, cfile=target, dfile=shown, doraise=True)
        except (py_compile.PyCompileError, ValueError, OSError, RecursionError):
            pass
    sys.stdout.write("\n")
    sys.stdout.flush()
