"""`yard-dial join-desktop`: a menu entry, an icon and the file type for the present user; `--leave` takes them away."""

import shlex
import shutil
import subprocess
import sys
from pathlib import Path

import click

from yarddial.cli.output import say
from yarddial.yard.errors import NotWritten

DESKTOP_FILES = Path(__file__).parent / "desktop_files"
PLACES = {
    "yard-dial.desktop": "applications/yard-dial.desktop",
    "yard-dial-mime.xml": "mime/packages/yard-dial-mime.xml",
    "yard-dial.svg": "icons/hicolor/scalable/apps/yard-dial.svg",
}


@click.command()
@click.option("--leave", is_flag=True, help="Take the entry away again.")
@click.option("--share", type=click.Path(path_type=Path), help="Folder of shared data; else that of the present user.")
def command(leave: bool, share: Path | None) -> int:
    """Stand in the desktop's menu and open *.yard.json files."""
    import os

    share = share or Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    try:
        for name, place in PLACES.items():
            target = share / place
            if leave:
                target.unlink(missing_ok=True)
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            text = (DESKTOP_FILES / name).read_text(encoding="utf-8")
            target.write_text(text.replace("Exec=yard-dial", f"Exec={_program()}"), encoding="utf-8")
    except OSError as error:
        raise NotWritten(f"cannot write into {share}: {error.strerror}; check its permissions") from error
    for tool, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        tool_path = shutil.which(tool)
        if tool_path and (share / folder).is_dir():
            subprocess.run([tool_path, str(share / folder)], check=False, capture_output=True, timeout=60)
    entry = share / PLACES["yard-dial.desktop"]
    say("The menu entry is gone." if leave else f"Yard Dial stands in the menu ({entry}).")
    return 0


def _program() -> str:
    """Program that the menu starts: by name where it is found, else by path."""
    here = Path(sys.argv[0]).resolve()
    return "yard-dial" if shutil.which("yard-dial") else shlex.quote(str(here))
