# Run by an environment's interpreter as: PYTHON -I -B -W ignore load_entry_point.py MODULE ATTRIBUTE
# Exit code 0: the object is there and can be called. 4: a module that it needs is not there, whose name is printed. 5: it
# fails otherwise. The module must not be run as a program.
import functools
import importlib
import sys

module, attribute = sys.argv[1:3]
try:
    found = functools.reduce(getattr, attribute.split("."), importlib.import_module(module))
except BaseException as error:
    sys.stderr.write("\n%s: %s\n" % (type(error).__name__, str(error).splitlines()[0] if str(error) else ""))
    # What says in its own words that something is missing was raised from the import that failed.
    cause = error
    while cause is not None and not isinstance(cause, ModuleNotFoundError):
        cause = cause.__cause__ or cause.__context__
    if cause is None or not isinstance(error, ImportError) or not cause.name:
        sys.exit(5)
    sys.stdout.write("\n%s\n" % cause.name)
    sys.exit(4)
if not callable(found):
    sys.stderr.write("\n%s is no function\n" % attribute)
    sys.exit(5)
