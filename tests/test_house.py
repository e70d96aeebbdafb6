"""The house keeps its own rules: each import contract is seen to fail when it is broken, and start-up stays light."""

import ast
import functools
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
CORE = ("yard", "dsp", "analysis", "drivers", "records", "session", "cli", "wiring")


@functools.cache
def tree_of(path: Path) -> ast.Module:
    """Read each file once for all rules."""
    return ast.parse(path.read_text())


@functools.cache
def nodes_of(path: Path) -> tuple[ast.AST, ...]:
    return tuple(ast.walk(tree_of(path)))


def lint(folder: Path) -> subprocess.CompletedProcess[str]:
    program = Path(sys.executable).parent / "lint-imports"
    environment = {"PYTHONPATH": str(folder / "src"), "PATH": "/usr/bin:/bin"}
    return subprocess.run(
        [str(program), "--no-cache"], cwd=folder, capture_output=True, text=True, env=environment, check=False
    )


# A file, what it must not import, and the contract that says so.
BREACHES = (
    ("yard/modes.py", "yarddial.dsp.carrier", "The floors of the house"),
    ("analysis/correction/design.py", "yarddial.records.entry", "The floors of the house"),
    ("ui/sound_device_box.py", "yarddial.cli.options", "The floors of the house"),
    ("engine/intake.py", "yarddial.session.listeners", "The floors of the house"),
    ("drivers/protocol.py", "yarddial.engine.events", "The floors of the house"),
    ("session/station/desk.py", "PyQt6.QtCore", "Only the interface knows Qt"),
    ("engine/jobs/table.py", "PyQt6.QtCore", "Only the interface knows Qt"),
    ("session/receiver/live_receiver.py", "yarddial.session.calibration.calibration", "The topics of the session"),
    ("session/levels/levels.py", "yarddial.session.listening.listening", "The topics of the session"),
    ("engine/taps/audio_tap.py", "yarddial.engine.engine", "Inside the engine"),
    ("session/spurious/strong_signals.py", "yarddial.session.spurious.span_verification", "No circles"),
    ("yard/bands.py", "numpy", "The domain is plain Python"),
    ("ui/places/log/place.py", "yarddial.ui.places.bench.edits", "Places do not know each other"),
    ("ui/widgets/axis.py", "yarddial.session.station.desk", "Widgets know no session"),
)


def test_each_contract_fails_when_it_is_broken_and_names_what_breaks_it(tmp_path: Path) -> None:
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__", "*.ttf"))
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    for file, imported, _ in BREACHES:
        target = tmp_path / "src" / "yarddial" / file
        target.write_text(target.read_text() + f"\nimport {imported}\n")
    done = lint(tmp_path)
    assert done.returncode != 0
    reports = done.stdout[done.stdout.index("Broken contracts") :]
    sections = {
        title.strip(): text
        for title, text in re.findall(r"\n([^\n]+)\n-{4,}\n(.*?)(?=\n[^\n]+\n-{4,}\n|$)", reports, re.S)
    }
    for file, imported, contract in BREACHES:
        module = "yarddial." + file.removesuffix(".py").replace("/", ".")
        named = next(text for title, text in sections.items() if title.startswith(contract))
        said = (module, imported.partition(".")[0] if "." not in module else module.rpartition(".")[2])
        assert any(word in named for word in said), (file, imported, contract, named[:2_000])


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
        for node in tree_of(path).body:
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
        for node in nodes_of(path):
            name = node.func if isinstance(node, ast.Call) else None
            called = getattr(name, "attr", getattr(name, "id", ""))
            assert allowed.get(called, path.name) == path.name, f"{path.name} calls {called}"


# What a constant limits is said by its name; a size, colour or probability of one word says nothing.
PLAIN_PREFIXES = {"MOST": "MAX", "LEAST": "MIN", "FEWEST": "MIN", "LONGEST": "MAX", "SHORTEST": "MIN", "LARGEST": "MAX"}


def numbers_of(tree: ast.Module) -> list[str]:
    """Names of the module's constants whose value is a number, or arithmetic."""
    names = []
    for node in tree.body:
        if not isinstance(node, ast.Assign):
            continue
        target, value = node.targets[0], node.value
        pairs = [(target, value)]
        if isinstance(target, ast.Tuple) and isinstance(value, ast.Tuple):
            pairs = list(zip(target.elts, value.elts, strict=True))
        for name, content in pairs:
            plain = content.operand if isinstance(content, ast.UnaryOp) else content
            number = isinstance(plain, ast.Constant) and type(plain.value) in (int, float)
            if isinstance(name, ast.Name) and name.id.isupper() and (number or isinstance(plain, ast.BinOp)):
                names.append(name.id.strip("_"))
    return names


def test_a_constant_says_what_it_limits() -> None:
    """A number has a name of two words or more, its unit among them; limits begin with MAX_ or MIN_."""
    wrong = {}
    for path in (ROOT / "src").rglob("*.py"):
        tree = tree_of(path)
        for name in numbers_of(tree):
            prefix = name.partition("_")[0]
            if "_" not in name:
                wrong[f"{path.name}: {name}"] = "say what it limits, with its unit: SEARCH_MARGIN_HZ"
            elif prefix in PLAIN_PREFIXES:
                wrong[f"{path.name}: {name}"] = f"write {PLAIN_PREFIXES[prefix]}_..."
    assert wrong == {}


def test_no_product_file_is_called_like_a_test() -> None:
    files = [
        path.name
        for path in (ROOT / "src").rglob("*.py")
        if path.stem.startswith("test_") or path.stem.endswith("_test")
    ]
    assert files == [], "name it after what it holds: a tool that looks for tests would run it"


# House words that were given up, and what to write instead; a random walk is the field's own word.
RETIRED_WORDS = {
    "doubt": "uncertainty", "truing": "calibration", "hunt": "search", "halt": "stop, or route_point", "ear": "tap",
    "look": "tuning, record, measurement or check", "looks": "records, measurements", "looked": "measured, checked",
    "way": "method, demodulation or path", "ways": "methods, paths", "walk": "sequence", "most": "max or limit",
    "least": "min", "fewest": "min",
}  # fmt: skip
USUAL_PHRASES = ("look_up", "under_way", "random_walk", "RandomWalk", "RANDOM_WALK")


def words_of(name: str) -> list[str]:
    """The words of an identifier, in small letters; phrases that everybody uses are left out."""
    for phrase in USUAL_PHRASES:
        name = name.replace(phrase, "")
    return [word.lower() for word in re.findall(r"[A-Z]?[a-z]+|[A-Z]+", name)]


def test_no_name_uses_a_retired_word() -> None:
    wrong = {}
    for path in (ROOT / "src").rglob("*.py"):
        for node in nodes_of(path):
            name = ""
            if isinstance(node, ast.FunctionDef | ast.ClassDef):
                name = node.name
            elif isinstance(node, ast.arg):
                name = node.arg
            elif isinstance(node, ast.Name | ast.Attribute) and isinstance(node.ctx, ast.Store):
                name = node.id if isinstance(node, ast.Name) else node.attr
            for word in set(words_of(name)) & set(RETIRED_WORDS):
                wrong[f"{path.name}: {name}"] = f"write {RETIRED_WORDS[word]}"
    assert wrong == {}


# Locals that say nothing of the value; a name says what it holds: `peak_bin`, `message`, `stations`.
EMPTY_NAMES = {"found", "told", "said", "made", "one", "kept"}


def test_a_local_name_says_what_it_holds() -> None:
    wrong = [
        f"{path.name}:{node.lineno}: {node.id}"
        for path in (ROOT / "src").rglob("*.py")
        for function in nodes_of(path)
        if isinstance(function, ast.FunctionDef)
        for node in ast.walk(function)
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store) and node.id in EMPTY_NAMES
    ]
    assert wrong == [], "name it after what it holds"


# What shows that a long comment gives a source: a standard or paper by name, a page of the house, a year.
SOURCE = re.compile(r"ITU|IARU|IEEE|IEC|ISO|ICNIRP|ETSI|RFC|docs/|[(\s](1[89]|20)\d\d\b|et al")


def test_a_comment_over_two_lines_gives_its_source() -> None:
    wrong = []
    for path in (ROOT / "src").rglob("*.py"):
        block: list[str] = []
        for number, line in enumerate([*path.read_text().splitlines(), ""], 1):
            if line.strip().startswith("#"):
                block.append(line.strip())
                continue
            if len(block) > 2 and not SOURCE.search(" ".join(block)):
                wrong.append(f"{path.name}:{number - len(block)}")
            block = []
    assert wrong == [], "two lines say why; more of it belongs into the docstring, with its source"


def test_only_one_room_prints() -> None:
    """What is printed goes through `cli/output.py`; the three lines that come before it spell their text out."""
    prints: list[str] = []
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.Call) and ast.unparse(node.func) in ("print", "click.echo", "click.secho"):
                prints.append(f"{path.relative_to(ROOT / 'src' / 'yarddial')}: {ast.unparse(node.args[0])[:30]}")
    assert sorted(place.partition(":")[0] for place in prints) == [
        "__main__.py", "cli/output.py", "cli/output.py", "ui/start.py", "ui/start.py",
    ]  # fmt: skip
    outside = [place for place in prints if not place.startswith("cli/output.py")]
    assert all("shown(" in place or "window painted" in place for place in outside)
