"""State of this computer from the system: load, temperature, free disk."""

import os
import shutil
from contextlib import suppress
from pathlib import Path

UNKNOWN_NUMBER = -1.0


def load() -> float:
    """Load over all cores during the last minute; 1 means all of them."""
    try:
        return os.getloadavg()[0] / (os.cpu_count() or 1)
    except OSError:
        return UNKNOWN_NUMBER


def temperature_c(root: Path = Path("/sys/class/thermal")) -> float:
    """Temperature of the hottest sensor."""
    temperatures_c: list[float] = []
    for zone in sorted(root.glob("thermal_zone*/temp")) if root.is_dir() else ():
        with suppress(OSError, ValueError):
            temperatures_c.append(int(zone.read_text()) / 1000.0)
    return max((reading_c for reading_c in temperatures_c if -50 < reading_c < 150), default=UNKNOWN_NUMBER)


def free_gb(folder: Path) -> float:
    """Free space on the disk of a folder."""
    try:
        return shutil.disk_usage(folder).free / 1e9
    except OSError:
        return UNKNOWN_NUMBER
