"""The files that join the desktop agree with the program and with each other."""

import configparser
import subprocess
from pathlib import Path
from xml.etree import ElementTree

HERE = Path(__file__).parents[1] / "packaging"
MIME = "{http://www.freedesktop.org/standards/shared-mime-info}"


def test_the_menu_entry_opens_the_file_type_that_is_registered(tmp_path: Path) -> None:
    entry = configparser.ConfigParser(interpolation=None, delimiters=("=",))
    entry.optionxform = str  # type: ignore[assignment]
    entry.read(HERE / "yard-dial.desktop")
    kind = ElementTree.parse(HERE / "yard-dial-mime.xml").getroot().find(f"{MIME}mime-type")
    assert kind is not None
    assert entry["Desktop Entry"]["MimeType"].rstrip(";") == kind.get("type")
    assert entry["Desktop Entry"]["Exec"].endswith("%f")
    glob = kind.find(f"{MIME}glob")
    assert glob is not None
    assert glob.get("pattern") == "*.yard.json"
    ElementTree.parse(HERE / "yard-dial.svg")


def test_joining_and_leaving_the_desktop_leaves_nothing(tmp_path: Path) -> None:
    env = {"XDG_DATA_HOME": str(tmp_path), "PATH": "/usr/bin:/bin", "HOME": str(tmp_path)}
    subprocess.run([str(HERE / "join-desktop")], env=env, check=True, timeout=60)
    ours = {path.name for path in tmp_path.rglob("*") if "yard-dial" in path.name}
    assert {"yard-dial.desktop", "yard-dial-mime.xml", "yard-dial.svg"} <= ours
    subprocess.run([str(HERE / "join-desktop"), "--leave"], env=env, check=True, timeout=60)
    assert not list(tmp_path.rglob("yard-dial*"))
