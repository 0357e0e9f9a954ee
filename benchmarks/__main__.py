"""Every row of the table of speeds, in one run: python -m benchmarks

Those that need a real index are run by hand: `benchmarks/real_sets.py`.
"""

import subprocess
import sys
from pathlib import Path

PARTS = ("command_start", "session_start", "solving", "read_ahead", "environments", "verifying")


def main() -> int:
    """Run each part in an interpreter of its own, so that none warms another's imports."""
    failed = 0
    for part in PARTS:
        file = Path(__file__).with_name(f"{part}.py")
        print(f"\n{part.replace('_', ' ')}", flush=True)
        failed += subprocess.run([sys.executable, str(file)], check=False).returncode != 0
    return failed


if __name__ == "__main__":
    sys.exit(main())
