# Run by the interpreter whose byte code is wanted, 3.8 to current. Reads pairs of lines (source, target) as
# JSON strings from standard input; a file that does not compile is passed over, as an import would tell.
import json
import os
import py_compile
import sys

parent = os.getppid()
for line in sys.stdin:
    if os.getppid() != parent:
        break  # whoever wanted this was killed; its staging is about to be swept
    source, target, shown = json.loads(line)
    os.makedirs(os.path.dirname(target), exist_ok=True)
    try:
        py_compile.compile(source, cfile=target, dfile=shown, doraise=True)
    except (py_compile.PyCompileError, ValueError, OSError, RecursionError):
        pass
