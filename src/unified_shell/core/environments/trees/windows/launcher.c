/* Starts a command on Windows: NAME.exe starts the python.exe beside it with NAME-script.py, also beside it.

   What follows the program's name on the command line is handed on as it was typed: nothing is quoted again, so that no rule
   of quoting can be wrong. The exit code is the child's; the child ends with this program. 101: it could not be started.
   There is no C runtime in it; launchers.toml says how it is built. */
#include <windows.h>

#define LINE 32767 /* CreateProcessW takes no longer one, its final zero among it */
#define COULD_NOT_START 101

static WCHAR own[LINE], script[LINE], program[LINE], line[LINE * 2], said[LINE];
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

static DWORD run(void) {
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
    WCHAR *at;
    /* Half of what a line holds: both paths have to go into one. */
    if (GetModuleFileNameW(NULL, own, LINE / 2) >= LINE / 2 - 16) ExitProcess(COULD_NOT_START);
    for (at = own + lstrlenW(own); at > own && *at != L'.' && *at != L'\\'; at--) {}
    if (*at == L'.') *at = 0;
    lstrcpyW(script, own);
    lstrcatW(script, L"-script.py");
    for (at = own + lstrlenW(own); at > own && *at != L'\\'; at--) {}
    at[1] = 0;
    lstrcpyW(program, own);
    lstrcatW(program, PYTHON);
    if (!is_file(script)) {
        say(L"this command's script is not there: ", script);
        ExitProcess(COULD_NOT_START);
    }
    lstrcpyW(line, L"\"");
    lstrcatW(line, program);
    lstrcatW(line, L"\" \"");
    lstrcatW(line, script);
    lstrcatW(line, L"\"");
    if (lstrlenW(line) + lstrlenW(rest) >= LINE) {
        say(L"the command line is too long for Windows: ", script);
        ExitProcess(COULD_NOT_START);
    }
    lstrcatW(line, rest);
    ExitProcess(run());
}
