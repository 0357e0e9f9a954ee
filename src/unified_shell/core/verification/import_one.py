# Run by an environment's interpreter as: PYTHON -I -B -W ignore import_one.py NAME
# Exit code 0: it imports. 3: it is absent. 4: something it needs is absent. 5: it is there, but fails.
import sys

name = sys.argv[1]
try:
    __import__(name)
except ModuleNotFoundError as error:
    missing = error.name or ""
    sys.stderr.write("\n%s\n" % error)
    sys.exit(3 if missing and (name + ".").startswith(missing + ".") else 4)
except BaseException as error:
    sys.stderr.write("\n%s: %s\n" % (type(error).__name__, str(error).splitlines()[0] if str(error) else ""))
    sys.exit(5)
sys.exit(0)
