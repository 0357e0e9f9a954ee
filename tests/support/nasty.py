"""Names of directories, and values, that a shell could take for something else."""

__all__ = ["HOME", "NASTY"]

HOME = "/home/bea"
NASTY = [
    "/plain",
    "/with space",
    "/it's",
    '/dou"ble',
    "/$(touch executed)",
    "/`touch executed`",
    "/back\\slash",
    "/new\nline",
    "/tab\t",
    "/*",
    "/[a]?",
    "/caf\u00e9",
    "/not-utf8-\udcff",
    "/-dash",
    "/!bang",
    "/#hash",
    "/;touch executed",
    "/~",
    f"{HOME}/below $HOME",
    "/%d",
    "/a=b",
    "/{a,b}",
    "/\x01",
    "/&",
    "/|",
    "/<",
    "/CR\r",
]
