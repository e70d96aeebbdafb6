"""Every property that the tests try on a few examples, on 1,000 examples of each, with dice thrown anew."""

import os
import subprocess
import sys
from pathlib import Path

EXAMPLES = 1_000


def prove() -> bool:
    """Run the files that hold properties; True where none is broken."""
    root = Path(__file__).parents[1]
    files = [path for path in (root / "tests").rglob("test_*.py") if "from hypothesis import" in path.read_text()]
    environment = {**os.environ, "YARD_EXAMPLES": str(EXAMPLES), "YARD_EXPLORE": "1"}
    command = [sys.executable, "-m", "pytest", "-q", "-n", "2", "--timeout", "3000", "-m", "not window"]
    done = subprocess.run([*command, *map(str, sorted(files))], cwd=root, env=environment, check=False)
    verdict = "ok  " if done.returncode == 0 else "MISS"
    print(f"{verdict} {len(files)} files of properties, {EXAMPLES:,} examples each")
    return done.returncode == 0
