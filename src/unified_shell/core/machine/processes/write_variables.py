# Run as: PYTHON -I -S write_variables.py FILE. Writes the variables it was given into a file, zero bytes between them.
import os
import sys

variables = dict(os.environb)
# Python sets this one for itself where nothing says otherwise (PEP 538).
is_plain = not variables.get(b"LC_ALL") and variables.get(b"LANG", b"C") in (b"C", b"POSIX", b"")
if is_plain and variables.get(b"LC_CTYPE") in (b"C.UTF-8", b"C.utf8", b"UTF-8"):
    del variables[b"LC_CTYPE"]
with open(sys.argv[1], "wb") as file:
    file.write(b"".join(name + b"=" + value + b"\0" for name, value in variables.items()))
