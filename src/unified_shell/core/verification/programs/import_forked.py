# Run by an environment's python, 3.8 to current, where processes can be forked. Reads from its input, as JSON:
# {"workers": N, "seconds": S, "nodes": [{"parent": number or -1, "first": [module], "words": [[number, word]]}]}.
# A node is a process, forked from its parent's when that has loaded its words: it loads what else it needs first, then
# its own words, "module" or "module:attribute". Where a word ends the process, another goes on behind that word.
# Writes a line "=NUMBER SECONDS" for each word that loads, "-NUMBER MODULE" where one that it needs was not found.
# Whatever is not written has to be asked again, alone.
import gc
import importlib
import json
import mmap
import os
import signal
import struct
import sys
import time

task = json.loads(sys.stdin.buffer.read())
nodes = task["nodes"]
children = {}
for number, node in enumerate(nodes):
    children.setdefault(node["parent"], []).append(number)
out = os.dup(1)
nothing = os.open(os.devnull, os.O_RDWR)
for standard in (0, 1, 2):
    os.dup2(nothing, standard)
del sys.argv[1:]
try:
    import resource

    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
except (ImportError, ValueError, OSError):
    pass
# As many processes load at once as there are bytes in this pipe; a process takes one before it loads.
taken, given = os.pipe()
os.write(given, b"." * task["workers"])
# The exit code of a process that gave its byte back itself; whatever ends otherwise had it.
DONE = 77


def load(word):
    module, _, attribute = word.partition(":")
    found = importlib.import_module(module)
    for name in attribute.split(".") if attribute else ():
        found = getattr(found, name)
    if attribute and not callable(found):
        raise TypeError("no function")


def try_word(word):
    signal.signal(signal.SIGALRM, signal.SIG_DFL)
    signal.alarm(task["seconds"])
    began = time.perf_counter()
    try:
        load(word)
    except ModuleNotFoundError as error:
        return str(error.name)
    except BaseException:
        return None
    finally:
        signal.alarm(0)
    return time.perf_counter() - began


def begin(number, start):
    process = os.fork()
    if process:
        return process
    try:
        os.read(taken, 1)
        node = nodes[number]
        for word in node["first"]:
            try_word(word)
        for position, (name, word) in enumerate(node["words"]):
            if position < start:
                continue
            struct.pack_into("i", progress, 4 * number, position)
            came = try_word(word)
            if isinstance(came, float):
                os.write(out, b"=%d %.3f\n" % (name, came))
            elif came:
                os.write(out, b"-%d %s\n" % (name, came.encode("ascii", "replace")))
        struct.pack_into("i", progress, 4 * number, len(node["words"]))
        os.write(given, b".")
        gc.freeze()
        visit_all(children.get(number, []))
        os._exit(DONE)
    finally:
        os._exit(1)


def visit_all(numbers):
    todo = [(number, 0) for number in numbers]
    running = {}
    while todo or running:
        while todo:
            number, start = todo.pop(0)
            running[begin(number, start)] = number
        process, status = os.wait()
        number = running.pop(process, None)
        if number is None or (os.WIFEXITED(status) and os.WEXITSTATUS(status) == DONE):
            continue
        os.write(given, b".")
        (position,) = struct.unpack_from("i", progress, 4 * number)
        if position < len(nodes[number]["words"]):
            todo.append((number, position + 1))


# How far each node came, seen by the process that has to go on.
progress = mmap.mmap(-1, max(1, 4 * len(nodes)))
gc.freeze()
visit_all(children.get(-1, []))
os._exit(0)
