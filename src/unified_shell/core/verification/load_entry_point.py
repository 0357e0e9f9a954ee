# Run by an environment's interpreter as: PYTHON -I -B -W ignore load_entry_point.py MODULE ATTRIBUTE
# Exit code 0: the object is there and can be called. The module must not be run as a program.
import functools
import importlib
import sys

module, attribute = sys.argv[1:3]
try:
    found = functools.reduce(getattr, attribute.split("."), importlib.import_module(module))
except BaseException as error:
    sys.stderr.write("\n%s: %s\n" % (type(error).__name__, str(error).splitlines()[0] if str(error) else ""))
    sys.exit(5)
if not callable(found):
    sys.stderr.write("\n%s is no function\n" % attribute)
    sys.exit(5)
