# Run by the interpreter of a build environment, 3.8 to current, in the folder of a source tree (PEP 517).
# Arguments: backend ("module" or "module:object"), folders of the tree that it is in (JSON list), hook, file for the
# answer, the hook's arguments (JSON list). The answer is JSON: {"missing": true} or {"result": ...}.
import importlib
import json
import os
import sys

backend, folders, hook, answer, arguments = sys.argv[1:6]
here = os.getcwd()
sys.path[:0] = [os.path.normpath(os.path.join(here, one)) for one in json.loads(folders)]
module, _, attribute = backend.partition(":")
found = importlib.import_module(module)
inside = [os.path.normpath(os.path.join(here, one)) for one in json.loads(folders)]
if inside and not any(
    os.path.realpath(found.__file__ or "").startswith(os.path.realpath(one) + os.sep) for one in inside
):
    sys.exit(f"the backend {module} was not loaded from the tree, as backend-path wants")
for name in attribute.split(".") if attribute else ():
    found = getattr(found, name)
call = getattr(found, hook, None)
said = {"missing": True} if call is None else {"result": call(*json.loads(arguments))}
with open(answer, "w", encoding="utf-8") as file:
    json.dump(said, file)
