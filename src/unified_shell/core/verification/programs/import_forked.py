# Run by an environment's python, 3.8 to current, where processes can be forked. Reads from its input, as JSON:
# {"workers": N, "seconds": S, "nodes": [{"parent": number or -1, "first": [module], "own": [[number, word]],
# "apart": [[number, word]], "after": [[number, word]]}]}. A node is a process, forked from its parent's when that has
# loaded its own: it loads what else it needs first, then its own words. Words apart are loaded in processes of their
# own before, words after in one process behind. A word is "module" or "module:attribute".
# Writes a line "=NUMBER SECONDS" for each word that loads. Whatever is not written has to be asked again, alone.
import gc
import importlib
import json
import os
import signal
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


def try_words(words, report=True):
    for number, word in words:
        signal.signal(signal.SIGALRM, signal.SIG_DFL)
        signal.alarm(task["seconds"])
        began = time.perf_counter()
        try:
            load(word)
        except BaseException:
            signal.alarm(0)
            continue
        signal.alarm(0)
        if report:
            os.write(out, b"=%d %.3f\n" % (number, time.perf_counter() - began))


def begin(work):
    process = os.fork()
    if process:
        return process
    try:
        os.read(taken, 1)
        work()
    finally:
        os._exit(1)


def finish():
    os.write(given, b".")
    os._exit(DONE)


def wait_for(processes):
    for process in processes:
        _, status = os.waitpid(process, 0)
        if not (os.WIFEXITED(status) and os.WEXITSTATUS(status) == DONE):
            os.write(given, b".")


def leaf(words):
    def work():
        try_words(words)
        finish()

    return work


def visit(number):
    def work():
        node = nodes[number]
        try_words([(0, word) for word in node["first"]], report=False)
        gc.freeze()
        begun = [begin(leaf([word])) for word in node["apart"]]
        try_words(node["own"])
        gc.freeze()
        if node["after"]:
            begun.append(begin(leaf(node["after"])))
        below = children.get(number, [])
        os.write(given, b".")
        wait_for(begun)
        wait_for([begin(visit(each)) for each in below])
        os._exit(DONE)

    return work


wait_for([begin(visit(number)) for number in children.get(-1, [])])
os._exit(0)
