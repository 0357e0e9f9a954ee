# Run by any Python, 2.7 to current, as: PYTHON -B -W ignore import_one.py NAME
# Prints the module's file. Exit code 0: it imports. 3: it is absent. 4: something it needs is absent. 5: it is there,
# but fails.
import sys

if not getattr(sys.flags, "isolated", 0):
    del sys.path[0]  # the folder of this file: what is in it must not stand in for the module
name = sys.argv[1]


def first_line(error):
    return str(error).splitlines()[0] if str(error) else ""


try:
    __import__(name)
except ImportError as error:
    text = first_line(error)
    missing = getattr(error, "name", None) if hasattr(error, "name") else text.replace("No module named ", "")
    absent = type(error).__name__ == "ModuleNotFoundError" or text.startswith("No module named")
    sys.stderr.write("\n%s\n" % text)
    # What says in its own words that something is missing was raised from the import that failed.
    cause = error
    while not absent and cause is not None:
        cause = getattr(cause, "__cause__", None) or getattr(cause, "__context__", None)
        absent = type(cause).__name__ == "ModuleNotFoundError" and bool(cause.name)
        missing = cause.name if absent else missing
    if not absent:
        sys.exit(5)
    # Python 2 names only the last part of a dotted name.
    itself = (name + ".").startswith((missing or "?") + ".") or (
        sys.version_info[0] == 2 and name.endswith("." + missing)
    )
    if not itself:
        sys.stdout.write("\n%s\n" % missing)
    sys.exit(3 if itself else 4)
except BaseException as error:
    sys.stderr.write("\n%s: %s\n" % (type(error).__name__, first_line(error)))
    sys.exit(5)
module = sys.modules[name]
place = getattr(module, "__file__", None) or list(getattr(module, "__path__", None) or ["built in"])[0]
if not isinstance(place, str):
    place = place.encode("utf-8", "replace")
try:
    sys.stdout.write("\n" + place + "\n")
except UnicodeError:
    sys.stdout.write("\n" + place.encode("utf-8", "surrogateescape").decode("ascii", "replace") + "\n")
sys.exit(0)
