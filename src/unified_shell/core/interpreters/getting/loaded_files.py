# Run by a Python, 2.7 to current, as: PYTHON -E -s -S -B loaded_files.py
# Imports every compiled module of the standard library and prints, one a line, the files that are mapped then and the
# modules that do not load. Some modules cannot be loaded twice or out of place; those are none of our business.
import os
import sys

del sys.path[0]
skipped = ("_test", "xx", "_xx", "test", "idlelib", "_ctypes_test")
for folder in list(sys.path):
    if not folder.endswith("lib-dynload"):
        continue
    for name in sorted(os.listdir(folder)):
        module = name.split(".")[0]
        if module.startswith(skipped) or not name.endswith(".so"):
            continue
        try:
            __import__(module[: -len("module")] if module.endswith("module") and sys.version_info[0] == 2 else module)
        except ImportError as error:
            sys.stdout.write("FAILS %s %s\n" % (module, str(error).split("\n")[0]))
sys.stdout.flush()
try:
    with open("/proc/self/maps", "rb") as maps:
        files = set(line.split(None, 5)[5].strip() for line in maps if len(line.split(None, 5)) == 6)
except (IOError, OSError):
    files = set()
out = getattr(sys.stdout, "buffer", sys.stdout)
for name in sorted(files):
    if name.startswith(b"/"):
        out.write(b"FILE " + name + b"\n")
