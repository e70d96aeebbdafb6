"""Takes out of a lock file what the program never loads: `./yard lock` runs it on the users' lock.

scikit-rf names pandas for tables that nobody here asks for; its reader of Touchstone files runs without.
"""

import re
import sys
from pathlib import Path

NEVER_LOADED = ("pandas", "python-dateutil", "six", "tzdata")


def trimmed(text: str) -> str:
    """The lock without the blocks of those packages."""
    blocks = re.split(r"(?m)^(?=[A-Za-z0-9])", text)
    return "".join(block for block in blocks if block.partition("==")[0] not in NEVER_LOADED)


if __name__ == "__main__":
    path = Path(sys.argv[1])
    path.write_text(trimmed(path.read_text()))
