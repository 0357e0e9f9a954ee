/* Starts a command of an environment on Windows: NAME.exe beside NAME-script.py starts python.exe with that script.

   In a folder that stands for an environment, ..\edition.txt names the edition in use, as a path from the folder above
   the file's own or a whole one; script and interpreter are then those of the edition, and a command that is a program
   there is started itself. What follows the program's name on the command line is handed on as it was typed: nothing is
   quoted again, so that no rule of quoting can be wrong. The exit code is the child's; the child ends with this program.
   101: the command could not be started. No C runtime; see launchers.toml for how it is built. */
#include <windows.h>

#define LINE 32767 /* CreateProcessW takes no longer one, its final zero among it */
#define COULD_NOT_START 101

static WCHAR own[LINE], folder[LINE], edition[LINE], name[MAX_PATH], line[LINE * 2], said[LINE];
static char raw[LINE];

static void say(const WCHAR *text, const WCHAR *what) {
    HANDLE to = GetStdHandle(STD_ERROR_HANDLE);
    DWORD size, mode;
    lstrcpyW(said, L"ush: ");
    lstrcatW(said, text);
    lstrcatW(said, what);
    lstrcatW(said, L"\r\n");
    if (GetConsoleMode(to, &mode)) {
        WriteConsoleW(to, said, lstrlenW(said), &size, NULL);
    } else {
        int bytes = WideCharToMultiByte(CP_UTF8, 0, said, -1, raw, LINE, NULL, NULL);
        WriteFile(to, raw, bytes > 0 ? bytes - 1 : 0, &size, NULL);
    }
}

static BOOL is_file(const WCHAR *path) {
    DWORD facts = GetFileAttributesW(path);
    return facts != INVALID_FILE_ATTRIBUTES && !(facts & FILE_ATTRIBUTE_DIRECTORY);
}

/* Cuts a path before its last backslash and returns what followed. */
static WCHAR *cut(WCHAR *path) {
    WCHAR *last = path + lstrlenW(path);
    while (last > path && *last != L'\\') last--;
    *last = 0;
    return last + 1;
}

/* Reads the first line of a small UTF-8 file; FALSE where there is none. */
static BOOL read_line(const WCHAR *path, WCHAR *text) {
    DWORD size = 0, kept = 0;
    HANDLE file = CreateFileW(path, GENERIC_READ, FILE_SHARE_READ | FILE_SHARE_WRITE | FILE_SHARE_DELETE, NULL,
                              OPEN_EXISTING, 0, NULL);
    if (file == INVALID_HANDLE_VALUE) return FALSE;
    BOOL was_read = ReadFile(file, raw, 4096, &size, NULL);
    CloseHandle(file);
    while (was_read && kept < size && raw[kept] != '\r' && raw[kept] != '\n') kept++;
    text[MultiByteToWideChar(CP_UTF8, 0, raw, kept, text, 4096)] = 0;
    return kept > 0;
}

/* What follows the program's own name: up to the first blank outside of quotes, where backslashes mean nothing. */
static const WCHAR *after_name(const WCHAR *typed) {
    BOOL quoted = FALSE;
    for (; *typed && (quoted || (*typed != L' ' && *typed != L'\t')); typed++)
        if (*typed == L'"') quoted = !quoted;
    return typed;
}

static BOOL WINAPI left_to_the_child(DWORD event) {
    (void)event;
    return TRUE;
}

static DWORD run(const WCHAR *program) {
    static STARTUPINFOW how;
    static JOBOBJECT_EXTENDED_LIMIT_INFORMATION limits;
    PROCESS_INFORMATION child;
    DWORD code = COULD_NOT_START;
    HANDLE job = CreateJobObjectW(NULL, NULL);
    /* What the child starts itself may live on, as it would without us. */
    limits.BasicLimitInformation.LimitFlags = JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE | JOB_OBJECT_LIMIT_SILENT_BREAKAWAY_OK;
    SetInformationJobObject(job, JobObjectExtendedLimitInformation, &limits, sizeof limits);
    GetStartupInfoW(&how);
    SetConsoleCtrlHandler(left_to_the_child, TRUE);
    if (!CreateProcessW(program, line, NULL, NULL, TRUE, CREATE_SUSPENDED, NULL, NULL, &how, &child)) {
        say(L"this program could not be started: ", program);
        return code;
    }
    AssignProcessToJobObject(job, child.hProcess);
    ResumeThread(child.hThread);
    WaitForSingleObject(child.hProcess, INFINITE);
    GetExitCodeProcess(child.hProcess, &code);
    return code;
}

void start(void) {
    const WCHAR *rest = after_name(GetCommandLineW());
    if (GetModuleFileNameW(NULL, own, LINE - 300) >= LINE - 300) ExitProcess(COULD_NOT_START);
    lstrcpynW(name, cut(own), MAX_PATH - 16);
    for (int at = lstrlenW(name) - 1; at > 0; at--)
        if (name[at] == L'.') { name[at] = 0; break; }
    /* The edition in use, if this folder stands for an environment. */
    lstrcpyW(folder, own);
    cut(folder);
    lstrcpyW(said, folder);
    lstrcatW(said, L"\\edition.txt");
    if (read_line(said, edition)) {
        if (edition[0] != L'\\' && edition[1] != L':') {
            cut(folder);
            lstrcatW(folder, L"\\");
            lstrcatW(folder, edition);
        } else
            lstrcpyW(folder, edition);
        lstrcatW(folder, L"\\Scripts");
    } else
        lstrcpyW(folder, own);
    WCHAR *script = edition, *program = own;
    BOOL is_elsewhere = lstrcmpiW(folder, own);
    lstrcpyW(script, folder);
    lstrcatW(script, L"\\");
    lstrcatW(script, name);
    lstrcatW(script, L"-script.py");
    lstrcpyW(program, folder);
    lstrcatW(program, L"\\");
    lstrcpyW(line, L"\"");
    if (is_file(script)) {
        lstrcatW(program, PYTHON);
        lstrcatW(line, program);
        lstrcatW(line, L"\" \"");
        lstrcatW(line, script);
    } else {
        lstrcatW(program, name);
        lstrcatW(program, L".exe");
        if (!is_elsewhere || !is_file(program)) {
            say(L"this command's script is not there: ", script);
            ExitProcess(COULD_NOT_START);
        }
        lstrcatW(line, program);
    }
    lstrcatW(line, L"\"");
    if (lstrlenW(line) + lstrlenW(rest) >= LINE) {
        say(L"the command line is too long for Windows: ", name);
        ExitProcess(COULD_NOT_START);
    }
    lstrcatW(line, rest);
    ExitProcess(run(program));
}
