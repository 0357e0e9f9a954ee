# Run by an environment's python, 3.8 to current. Imports the modules that are named and prints, one a line, the files
# that modules came from and those that are mapped then. What does not import is told elsewhere.
import os
import sys

for name in sys.argv[1:]:
    try:
        __import__(name)
    except BaseException:
        pass
files = {getattr(one, "__file__", None) for one in list(sys.modules.values())}
try:
    with open("/proc/self/maps", "rb") as maps:
        rows = (line.rstrip(b"\n").split(None, 5) for line in maps)
        files |= {os.fsdecode(row[5]) for row in rows if len(row) == 6}
except OSError:
    pass
out = sys.stdout.buffer
for name in sorted(os.fsencode(one) for one in files if isinstance(one, str) and one.startswith("/")):
    out.write(name + b"\n")
