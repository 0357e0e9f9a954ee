# Run by the Python that is probed, 2.7 to current, as: PYTHON -E -s -S -B probe_python.py
# Prints one line: a marker and JSON, all ASCII. Imports as little as it can: json alone costs 11-40 ms.
import sys

if sys.path:
    del sys.path[0]  # the folder of this file: a module there must not stand in for the library's
import os


def quoted(value):
    out = []
    for c in value:
        n = ord(c)
        if c in '"\\' or n < 32 or n > 126:
            out.append(
                "\\u%04x" % n
                if n < 0x10000
                else "\\u%04x\\u%04x" % (0xD800 + ((n - 0x10000) >> 10), 0xDC00 + ((n - 0x10000) & 0x3FF))
            )
        else:
            out.append(str(c))
    return '"' + "".join(out) + '"'


def written(value):
    if value is None:
        return "null"
    if value is True or value is False:
        return "true" if value else "false"
    if isinstance(value, int):
        return "%d" % value
    if isinstance(value, dict):
        return "{" + ",".join(quoted(k) + ":" + written(v) for k, v in sorted(value.items())) + "}"
    if isinstance(value, (list, tuple)):
        return "[" + ",".join(written(v) for v in value) + "]"
    if isinstance(value, bytes):
        value = value.decode("utf-8", "replace")
    return quoted(value)


def libc():
    try:
        name, number = os.confstr("CS_GNU_LIBC_VERSION").split(" ")
        major, minor = number.split(".")[:2]
        return ["glibc", int(major), int(minor)]
    except (AttributeError, ValueError, OSError, TypeError):
        return ["", 0, 0]


def prefix_of_environment():
    # -S hides environments before 3.14, so the file that makes one is looked for here.
    for folder in (os.path.dirname(sys.executable), os.path.dirname(os.path.dirname(sys.executable))):
        if os.path.isfile(os.path.join(folder, "pyvenv.cfg")):
            return folder
    return ""


def lacking():
    # The C modules: the ones in front of them have fallbacks that hide their absence.
    wanted = [
        ("_ssl", "TLS"),
        ("_sqlite3", "SQLite"),
        ("zlib", "zlib"),
        ("_bz2" if sys.version_info[0] > 2 else "bz2", "bzip2"),
        ("_ctypes", "ctypes"),
        ("_tkinter", "Tk"),
        ("readline", "readline"),
    ]
    if sys.version_info[0] > 2:
        wanted.append(("_lzma", "xz"))
    missing = []
    for module, part in wanted:
        try:
            __import__(module)
        except ImportError:
            missing.append(part)
    name = "python%d.%d%s" % (sys.version_info[0], sys.version_info[1], getattr(sys, "abiflags", ""))
    base = getattr(sys, "base_prefix", sys.prefix)
    if not os.path.isfile(os.path.join(base, "include", name, "Python.h")):
        missing.append("headers")
    return missing


def site_folders(environment):
    # The module is imported, not run: -S stands.
    try:
        import site

        if not environment:
            found = site.getsitepackages()
        elif sys.version_info[0] > 2:
            found = site.getsitepackages([environment])
        else:
            found = []
    except (ImportError, AttributeError):
        found = []
    here = environment or sys.prefix
    found.append(os.path.join(here, "lib", "python%d.%d" % sys.version_info[:2], "site-packages"))
    if not environment:
        found.append(
            os.path.join(
                os.path.expanduser("~"), ".local", "lib", "python%d.%d" % sys.version_info[:2], "site-packages"
            )
        )
    unique = []
    for folder in found:
        if folder not in unique and os.path.isdir(folder):
            unique.append(folder)
    return unique


def suffixes():
    try:
        from importlib.machinery import EXTENSION_SUFFIXES

        return list(EXTENSION_SUFFIXES)
    except ImportError:
        return [".so", "module.so"]


def magic():
    try:
        # Of what `importlib.util` is made of: that takes a fifth of all this.
        from importlib._bootstrap_external import MAGIC_NUMBER
    except ImportError:
        import imp

        MAGIC_NUMBER = imp.get_magic()
    return "".join("%02x" % b for b in bytearray(MAGIC_NUMBER[:2]))


uname = os.uname() if hasattr(os, "uname") else ("", "", "", "", "")
implementation = getattr(sys, "implementation", None)
name = implementation.name if implementation else "cpython"
full = "%d.%d.%d" % sys.version_info[:3]
if sys.version_info[3] != "final":
    full += {"alpha": "a", "beta": "b", "candidate": "rc"}[sys.version_info[3]] + str(sys.version_info[4])
standard_library = os.path.dirname(os.__file__)
environment = prefix_of_environment()
sys.stdout.write(
    "\n@@USH-FACTS@@ "
    + written(
        {
            "executable": sys.executable or "",
            "real_executable": os.path.realpath(sys.executable or ""),
            "version": list(sys.version_info[:3]),
            "full_version": full,
            "implementation": name,
            "word_size_bits": 64 if sys.maxsize > 2**32 else 32,
            "architecture": uname[4].lower(),
            "libc": libc(),
            "system": "linux" if sys.platform.startswith("linux") else sys.platform,
            "prefix": sys.prefix,
            "base_prefix": getattr(sys, "base_prefix", sys.prefix),
            "environment_prefix": environment,
            "externally_managed": os.path.isfile(os.path.join(standard_library, "EXTERNALLY-MANAGED")),
            "free_threaded": hasattr(sys, "_is_gil_enabled") and "t" in getattr(sys, "abiflags", ""),
            "cache_tag": getattr(implementation, "cache_tag", None) or "",
            "magic": magic(),
            "lacking": lacking(),
            "library_folders": [folder for folder in sys.path if os.path.isdir(folder)],
            "site_folders": site_folders(environment),
            "extension_suffixes": suffixes(),
            "os_name": os.name,
            "uname": list(uname),
        }
    )
    + "\n"
)
