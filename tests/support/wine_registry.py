"""The standard library's `winreg` as a second implementation answers it: each call goes to a program of wine's, which makes the
system's own call of the same name.
"""

import subprocess

from .windows_programs import compiled
from .wine import PROGRAM, Wine

# Reads a call a line, words in hexadecimal UTF-16; answers `code`, or `code kind text`.
ANSWERING = r"""
#include <windows.h>
#include <stdio.h>
#include <wchar.h>
static wchar_t words[6][40000], data[40000];
static char line[400000];
static void unhex(const char *from, wchar_t *to) {
    unsigned value;
    for (; sscanf(from, "%4x", &value) == 1; from += 4) *to++ = (wchar_t)value;
    *to = 0;
}
static void say(LONG code, DWORD kind, const wchar_t *text, DWORD count) {
    printf("%ld %lu ", code, kind);
    for (DWORD at = 0; !code && at < count; at++) printf("%04x", text[at]);
    printf(".\n");
    fflush(stdout);
}
int main(void) {
    while (fgets(line, sizeof line, stdin)) {
        HKEY key = NULL, root;
        DWORD size = sizeof data, kind = 0, count = 40000;
        LONG code;
        int n = 0;
        for (char *word = strtok(line, " \r\n"); word && n < 6; word = strtok(NULL, " \r\n")) unhex(word + 1, words[n++]);
        root = wcscmp(words[1], L"HKEY_CURRENT_USER") ? HKEY_LOCAL_MACHINE : HKEY_CURRENT_USER;
        REGSAM access = (REGSAM)wcstoul(words[3], NULL, 10);
        if (!wcscmp(words[0], L"create"))
            code = RegCreateKeyExW(root, words[2], 0, NULL, 0, access, NULL, &key, NULL);
        else if (!wcscmp(words[0], L"drop"))
            code = RegDeleteKeyExW(root, words[2], access, 0);
        else
            code = RegOpenKeyExW(root, words[2], 0, access, &key);
        data[0] = 0;
        if (code) {}
        else if (!wcscmp(words[0], L"read")) {
            code = RegQueryValueExW(key, words[4], NULL, &kind, (BYTE *)data, &size);
            count = size / 2;
            if (count && !data[count - 1]) count--;
        } else if (!wcscmp(words[0], L"write")) {
            kind = wcstoul(words[5], NULL, 10);
            fgets(line, sizeof line, stdin);
            unhex(line + 1, data);
            code = RegSetValueExW(key, words[4], 0, kind, (BYTE *)data, (lstrlenW(data) + 1) * 2);
            count = 0;
        } else if (!wcscmp(words[0], L"forget"))
            code = RegDeleteValueW(key, words[4]), count = 0;
        else if (!wcscmp(words[0], L"value"))
            code = RegEnumValueW(key, wcstoul(words[4], NULL, 10), data, &count, NULL, &kind, NULL, NULL);
        else if (!wcscmp(words[0], L"key"))
            code = RegEnumKeyExW(key, wcstoul(words[4], NULL, 10), data, &count, NULL, NULL, NULL, NULL);
        else
            count = 0;
        if (key) RegCloseKey(key);
        say(code, kind, data, count);
    }
    return 0;
}
"""
ABSENT = 2


class WineRegistry:
    """The part of `winreg` that is used. A key that is open is its words; each call opens it anew."""

    REG_SZ, REG_EXPAND_SZ, REG_DWORD = 1, 2, 4
    KEY_READ, KEY_WRITE, KEY_WOW64_64KEY = 0x20019, 0x20006, 0x0100
    HKEY_CURRENT_USER, HKEY_LOCAL_MACHINE = "HKEY_CURRENT_USER", "HKEY_LOCAL_MACHINE"

    def __init__(self, wine: Wine) -> None:
        program = compiled(wine.drive / "t/registry.exe", ANSWERING)
        assert program.exists()
        self._process = subprocess.Popen(
            [PROGRAM, r"C:\t\registry.exe"], env=wine.variables(), cwd=wine.top, text=True,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def close(self) -> None:
        assert self._process.stdin is not None
        self._process.stdin.close()
        self._process.wait(20)

    def OpenKey(self, root: str, below: str, _: int, access: int) -> "_Opened":  # noqa: N802
        opened = _Opened(root, below, str(access))
        self._ask("open", opened)
        return opened

    def CreateKeyEx(self, root: str, below: str, _: int, access: int) -> "_Opened":  # noqa: N802
        opened = _Opened(root, below, str(access))
        self._ask("create", opened)
        return opened

    def DeleteKeyEx(self, root: str, below: str, access: int, _: int) -> None:  # noqa: N802
        self._ask("drop", _Opened(root, below, str(access)))

    def QueryValueEx(self, key: "_Opened", name: str) -> tuple[object, int]:  # noqa: N802
        kind, text = self._ask("read", key, name)
        return text, kind

    def SetValueEx(self, key: "_Opened", name: str, _: int, kind: int, text: str) -> None:  # noqa: N802
        self._ask("write", key, name, str(kind), given=text)

    def DeleteValue(self, key: "_Opened", name: str) -> None:  # noqa: N802
        self._ask("forget", key, name)

    def EnumValue(self, key: "_Opened", number: int) -> tuple[str, object, int]:  # noqa: N802
        kind, name = self._ask("value", key, str(number))
        return name, "", kind

    def EnumKey(self, key: "_Opened", number: int) -> str:  # noqa: N802
        return self._ask("key", key, str(number))[1]

    def _ask(self, what: str, key: "_Opened", *words: str, given: str | None = None) -> tuple[int, str]:
        into, out = self._process.stdin, self._process.stdout
        assert into is not None
        assert out is not None
        call = " ".join(_hex(word) for word in (what, key.root, key.below, key.access, *words))
        into.write(f"{call}\n" if given is None else f"{call}\n{_hex(given)}\n")
        into.flush()
        code, kind, text = out.readline().split(" ")
        if int(code):
            raise FileNotFoundError(key.below) if int(code) == ABSENT else OSError(int(code), key.below)
        return int(kind), bytes.fromhex(text.rstrip().rstrip(".")).decode("utf-16-be")


class _Opened:
    def __init__(self, root: str, below: str, access: str) -> None:
        self.root, self.below, self.access = root, below, access

    def __enter__(self) -> "_Opened":
        return self

    def __exit__(self, *_: object) -> None:
        return None


def _hex(word: str) -> str:
    return "x" + word.encode("utf-16-be").hex()
