"""The house keeps its own rules: each import contract is seen to fail when it is broken, and start-up stays light."""

import ast
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
CORE = ("yard", "dsp", "analysis", "drivers", "records", "session", "cli", "wiring")


def lint(folder: Path) -> subprocess.CompletedProcess[str]:
    program = Path(sys.executable).parent / "lint-imports"
    environment = {"PYTHONPATH": str(folder / "src"), "PATH": "/usr/bin:/bin"}
    return subprocess.run(
        [str(program), "--no-cache"], cwd=folder, capture_output=True, text=True, env=environment, check=False
    )


@pytest.mark.parametrize(
    ("file", "line", "contract"),
    [
        ("yard/modes.py", "import yarddial.dsp.carrier", "floors of the house"),
        ("analysis/correction/design.py", "import yarddial.records.entry", "floors of the house"),
        ("ui/sound_device_box.py", "import yarddial.cli.options", "floors of the house"),
        ("engine/intake.py", "import yarddial.session.listeners", "floors of the house"),
        ("drivers/protocol.py", "import yarddial.engine.events", "floors of the house"),
        ("session/station/desk.py", "import PyQt6.QtCore", "Only the interface knows Qt"),
        ("engine/jobs/table.py", "import PyQt6.QtCore", "Only the interface knows Qt"),
        (
            "session/receiver/live_receiver.py",
            "import yarddial.session.calibration.calibration",
            "topics of the session",
        ),
        ("session/levels/levels.py", "import yarddial.session.listening.listening", "topics of the session"),
        ("engine/taps/ear.py", "import yarddial.engine.engine", "Inside the engine"),
        ("session/spurious/strong_signals.py", "import yarddial.session.spurious.span_test", "No circles"),
        ("yard/bands.py", "import numpy", "domain is plain Python"),
        ("ui/places/log/place.py", "import yarddial.ui.places.bench.edits", "Places do not know each other"),
        ("ui/widgets/axis.py", "import yarddial.session.station.desk", "Widgets know no session"),
    ],
)
def test_each_contract_fails_when_it_is_broken(tmp_path: Path, file: str, line: str, contract: str) -> None:
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__", "*.ttf"))
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    target = tmp_path / "src" / "yarddial" / file
    target.write_text(target.read_text() + f"\n{line}\n")
    done = lint(tmp_path)
    assert done.returncode != 0
    broken = [text for text in done.stdout.splitlines() if "BROKEN" in text]
    assert any(contract in text for text in broken), done.stdout


def run_python(program: str) -> str:
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True, timeout=60)
    return done.stdout.strip()


def test_the_core_runs_without_qt() -> None:
    program = (
        "import sys; sys.modules['PyQt6'] = None\n"
        "from yarddial import wiring\n"
        "import yarddial.session.session, yarddial.cli.program, yarddial.records.recordings\n"
        "session = wiring.demo_session(flat_out=True)\n"
        "print(session.desk.station.name)"
    )
    assert run_python(program) == "Quillet Lane"


def test_nothing_heavy_is_imported_before_the_first_paint() -> None:
    program = (
        "import sys\nfrom yarddial import wiring\nimport yarddial.ui.start\n"
        "heavy = ('scipy', 'sqlite3', 'multiprocessing', 'sigmf', 'soundfile', 'click', 'rich', 'pyqtgraph')\n"
        "print([name for name in heavy if name in sys.modules])"
    )
    assert run_python(program) == "[]"


def test_the_engine_process_imports_no_qt() -> None:
    program = (
        "import sys\nimport yarddial.engine.process, yarddial.engine.engine, yarddial.wiring\n"
        "print('PyQt6' in sys.modules)"
    )
    assert run_python(program) == "False"


def test_every_file_says_what_it_is_for() -> None:
    silent = [
        str(path.relative_to(ROOT))
        for path in (ROOT / "src").rglob("*.py")
        if path.read_text().strip() and not path.read_text().startswith('"""')
    ]
    assert silent == []


def test_pictures_and_pages_that_are_linked_exist() -> None:
    import re

    text = (ROOT / "README.md").read_text()
    links = re.findall(r"\]\(([^)h][^)]*)\)", text)
    assert len(links) >= 6
    assert [link for link in links if not (ROOT / link).exists()] == []
    shown = {path.name for path in (ROOT / "docs/screenshots").glob("*.png")}
    assert shown == {Path(link).name for link in links if link.endswith(".png")}


def test_the_lock_pins_every_package_with_a_hash() -> None:
    for name in ("requirements.lock", "requirements-dev.lock"):
        lines = (ROOT / name).read_text().splitlines()
        pins = [line for line in lines if "==" in line and not line.startswith((" ", "#"))]
        assert len(pins) > 10
        assert all(line.endswith("\\") for line in pins), "each pin goes on with its hashes"


@pytest.mark.parametrize("arguments", [[], ["nonsense"]])
def test_the_yard_script_explains_itself(arguments: list[str]) -> None:
    done = subprocess.run(["sh", str(ROOT / "yard"), *arguments], capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "usage: ./yard" in done.stderr


def test_a_name_means_one_thing() -> None:
    """No two classes of one name; an alias that stands in several files stands for the same in each."""
    means: dict[str, set[str]] = {}
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.parse(path.read_text()).body:
            if isinstance(node, ast.ClassDef):
                means.setdefault(node.name, set()).add(str(path))
            elif isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name):
                name = node.targets[0].id
                if name[:1].isupper() and any(letter.islower() for letter in name):
                    means.setdefault(name, set()).add(ast.unparse(node.value))
    assert {name: places for name, places in means.items() if len(places) > 1} == {}


def test_all_words_on_the_screen_are_plain_text() -> None:
    """Names from files reach labels and tool tips through two helpers, which show them as they are written."""
    allowed = {"setToolTip": "tip.py", "setHtml": "pdf.py", "setMarkdown": "manual_sheet.py", "showText": "",
               "QTextBrowser": "manual_sheet.py",
               "QMessageBox": "", "setWhatsThis": "", "QLabel": "words.py", "setTextFormat": "words.py"}  # fmt: skip
    for path in (ROOT / "src" / "yarddial" / "ui").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            name = node.func if isinstance(node, ast.Call) else None
            called = getattr(name, "attr", getattr(name, "id", ""))
            assert allowed.get(called, path.name) == path.name, f"{path.name} calls {called}"
