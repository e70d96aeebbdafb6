"""The files that join the desktop agree with the program and with each other; the manual page holds every command."""

import configparser
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import click
import pytest
from click.testing import CliRunner

from yarddial.cli.join_desktop_command import DESKTOP_FILES, PLACES, command
from yarddial.cli.program import program

HERE = Path(__file__).parents[1] / "packaging"
MIME = "{http://www.freedesktop.org/standards/shared-mime-info}"


def test_the_menu_entry_opens_the_file_type_that_is_registered() -> None:
    entry = configparser.ConfigParser(interpolation=None, delimiters=("=",))
    entry.optionxform = str  # type: ignore[assignment]
    entry.read(DESKTOP_FILES / "yard-dial.desktop")
    kind = ElementTree.parse(DESKTOP_FILES / "yard-dial-mime.xml").getroot().find(f"{MIME}mime-type")
    assert kind is not None
    assert entry["Desktop Entry"]["MimeType"].rstrip(";") == kind.get("type")
    assert entry["Desktop Entry"]["Exec"].endswith("%f")
    glob = kind.find(f"{MIME}glob")
    assert glob is not None
    assert glob.get("pattern") == "*.yard.json"
    ElementTree.parse(DESKTOP_FILES / "yard-dial.svg")
    about = ElementTree.parse(HERE / "org.yarddial.YardDial.metainfo.xml").getroot()
    assert about.findtext("launchable") == "yard-dial.desktop"
    assert about.findtext("provides/mediatype") == kind.get("type")


def test_joining_and_leaving_the_desktop_leaves_nothing(tmp_path: Path) -> None:
    assert CliRunner().invoke(command, ["--share", str(tmp_path)]).exit_code == 0
    assert all((tmp_path / place).is_file() for place in PLACES.values())
    assert CliRunner().invoke(command, ["--leave", "--share", str(tmp_path)]).exit_code == 0
    assert not list(tmp_path.rglob("yard-dial*"))


@pytest.fixture(scope="module")
def man_page() -> str:
    command = [sys.executable, str(HERE / "man_page.py")]
    made = subprocess.run(command, capture_output=True, text=True, timeout=60, check=True)
    return made.stdout.replace("\\-", "-")


def test_every_command_and_option_is_in_the_manual_page(man_page: str) -> None:
    context = click.Context(program)
    for name in program.list_commands(context):
        made = program.get_command(context, name)
        assert made is not None
        assert f".SS {name} " in man_page
        for parameter in made.params:
            if isinstance(parameter, click.Option) and not parameter.hidden:
                assert parameter.opts[0] in man_page, f"{name} {parameter.opts[0]}"
