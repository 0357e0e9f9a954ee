"""What the tests share. With USH_TEST_WITHOUT_POSIX set, the project's modules get a Python without its POSIX parts."""

import os

if "USH_TEST_WITHOUT_POSIX" in os.environ:
    from .without_posix import strip

    strip()
