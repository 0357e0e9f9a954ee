# Run as: PYTHON -I -S end_with_parent.py PROGRAM WORD... Becomes that program, which is killed when whoever started it
# ends: a long build must not go on in staging that is swept. On other systems than Linux it only becomes the program.
import os
import signal
import sys

parent = os.getppid()
try:
    import ctypes

    ctypes.CDLL(None).prctl(1, signal.SIGKILL)  # PR_SET_PDEATHSIG, prctl(2)
except (ImportError, OSError, AttributeError):
    pass
if os.getppid() != parent:
    sys.exit(1)
try:
    os.execvp(sys.argv[1], sys.argv[1:])
except OSError as error:
    sys.stderr.write("%s: %s\n" % (sys.argv[1], error.strerror))
    sys.exit(127)
