"""Kill -9 at random moments while a yard is edited: the file is valid and holds the last or one-before-last edit."""

import os
import select
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from random import Random

from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Antenna

KILLS = 200
EDITOR = """
import sys
from pathlib import Path
from yarddial.records.station_file import load_station
from yarddial.session.station.building import Building
from yarddial.session.station.desk import Desk
from yarddial.session.station.saving import BackgroundSave
file = load_station(Path(sys.argv[1]))
desk = Desk(file.station, BackgroundSave(file.save))
building = Building(desk)
number = 0
while True:
    number += 1
    building.set_value("Long wire", "note", f"edit {number}")
    sys.stdout.write(f"{number}\\n"); sys.stdout.flush()
"""


def prove() -> bool:
    """Each time a new process; the edits that it reported are compared with what the file holds."""
    chance, wrong, behind = Random(2026), [], [0, 0, 0]
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "x.yard.json"
        for number in range(KILLS):
            StationFile(path, demo_station()).save(demo_station())
            reported = _edited_until_killed(path, chance.uniform(0.0, 0.15))
            try:
                antenna = load_station(path).station.part("Long wire")
            except Exception as fault:
                wrong.append(f"kill {number}: {fault}")
                continue
            assert isinstance(antenna, Antenna)
            kept = int(antenna.note.removeprefix("edit ")) if antenna.note.startswith("edit ") else 0
            # An edit may have been made and not yet reported when the end came.
            if kept not in (reported - 1, reported, reported + 1):
                wrong.append(f"kill {number}: {reported} reported, {kept} kept")
            else:
                behind[reported + 1 - kept] += 1
        left = [p.name for p in Path(name).iterdir() if p != path]
    for line in wrong[:10]:
        print("MISS", line)
    print(
        f"{KILLS} kills, {len(wrong)} wrong; kept one not yet reported / the last / the one before: "
        f"{behind[0]} / {behind[1]} / {behind[2]}; {len(left)} half-written temporary files beside it"
    )
    return not wrong


def _edited_until_killed(path: Path, seconds_s: float) -> int:
    """The last edit that the process reported before it was killed, counted from its first report on."""
    editor = subprocess.Popen([sys.executable, "-c", EDITOR, str(path)], stdout=subprocess.PIPE)
    assert editor.stdout is not None
    out = editor.stdout.fileno()
    select.select([out], [], [], 30)
    time.sleep(seconds_s)
    os.kill(editor.pid, signal.SIGKILL)
    editor.wait()
    said = b""
    while chunk := os.read(out, 1 << 16):
        said += chunk
    whole = said.rsplit(b"\n", 1)[0].split(b"\n")
    return int(whole[-1]) if whole and whole[-1] else 0
