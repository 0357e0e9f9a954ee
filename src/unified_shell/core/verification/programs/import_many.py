# Run by an environment's python, 3.8 to current. Loads each of its words in turn, "module" or "module:attribute", and
# says on its output what it begins (+), what is loaded and after how many seconds (=), and what is not (-).
import importlib
import os
import sys
import time

out = os.dup(1)
nothing = os.open(os.devnull, os.O_RDWR)
os.dup2(nothing, 1)
words = sys.argv[1:]
del sys.argv[1:]
for number, word in enumerate(words):
    os.write(out, b"+%d\n" % number)
    began = time.perf_counter()
    module, _, attribute = word.partition(":")
    try:
        found = importlib.import_module(module)
        for name in attribute.split(".") if attribute else ():
            found = getattr(found, name)
        if attribute and not callable(found):
            raise TypeError("no function")
    except BaseException:
        os.write(out, b"-%d\n" % number)
        continue
    os.write(out, b"=%d %.3f\n" % (number, time.perf_counter() - began))
# What a module started must not hold this up.
os._exit(0)
