"""Do the tests see? Mutants of every floor, drawn by seed, and how many of them that floor's own tests catch.

`./yard proof mutants 10` tries so many a floor. YARD_TREE names another checkout whose tests are weighed instead of
this one's, YARD_FLOORS the floors. Cosmic Ray makes the mutants; it has an environment of its own.
"""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import venv
from pathlib import Path

HERE = Path(__file__).parents[1]
TOOL, TOOL_ENV = "cosmic-ray==8.7.0", HERE / ".mutation-env"
SEED, MUTANTS_A_FLOOR = 15, 30
# Tests that run longer than this hang: the mutant is caught.
PATIENCE_S = 300.0
FLOORS = ("yard", "records", "cli", "dsp", "analysis", "engine", "drivers", "distance", "session", "ui")
# A type's bar is no arithmetic; a decorator is no decision.
SKIPPED = ("BitOr", "RemoveDecorator", "MatMul", "Variable")

DRAW = """
import json, sys
from pathlib import Path
from random import Random
from cosmic_ray.ast import get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator, operator_names

root, seed, wanted, skipped = Path(sys.argv[1]), sys.argv[2], int(sys.argv[3]), sys.argv[4].split(",")
files = sorted(path for path in root.rglob("*.py") if path.name != "__init__.py")
weights = [len(path.read_text().splitlines()) for path in files]
names = sorted(name for name in operator_names() if not any(part in name for part in skipped))
chance = Random(seed)
drawn = []
while len(drawn) < wanted:
    path, name = chance.choices(files, weights)[0], chance.choice(names)
    text = path.read_text()
    places = []
    operator = get_operator(name)()
    def visit(node):
        places.extend(operator.mutation_positions(node))
        for child in getattr(node, "children", ()):
            visit(child)
    visit(get_ast(text))
    if not places:
        continue
    at = chance.randrange(len(places))
    mutant = mutate_code(text, operator, at)
    if mutant and mutant != text:
        pairs = zip(text.splitlines(), mutant.splitlines())
        line = next((number for number, (one, two) in enumerate(pairs, 1) if one != two), 0)
        drawn.append([str(path.relative_to(root)), name.split("/")[-1], line, mutant])
print(json.dumps(drawn))
"""


def prove() -> bool:
    """Print a line a mutant, and a count a floor. It says how well the tests see; there is no bound to pass."""
    given = [word for word in sys.argv[1:] if word.isdigit()]
    wanted = int(given[0]) if given else MUTANTS_A_FLOOR
    tree = Path(os.environ.get("YARD_TREE", HERE)).resolve()
    floors = os.environ.get("YARD_FLOORS", " ".join(FLOORS)).split()
    _make_tool()
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "tree"
        ignore = shutil.ignore_patterns(".git", ".yard-env", ".mutation-env", "__pycache__", "dist")
        shutil.copytree(tree, copy, ignore=ignore)
        counts = {floor: _weigh(copy, floor, wanted) for floor in floors}
    for floor, (caught, count) in counts.items():
        print(f"{floor}: {caught} of {count} mutants caught")
    print(f"{sum(c for c, _ in counts.values())} of {sum(n for _, n in counts.values())} in all, seed {SEED}")
    return True


def _make_tool() -> None:
    if not (TOOL_ENV / "bin" / "python").exists():
        venv.create(TOOL_ENV, with_pip=True)
        subprocess.run([TOOL_ENV / "bin" / "pip", "-q", "install", TOOL], check=True)


def _weigh(tree: Path, floor: str, wanted: int) -> tuple[int, int]:
    """How many of the floor's mutants its tests catch, and how many there were."""
    root = tree / "src" / "yarddial" / floor
    draw = [TOOL_ENV / "bin" / "python", "-c", DRAW, root, f"{floor} {SEED}", str(wanted), ",".join(SKIPPED)]
    drawn = json.loads(subprocess.run(draw, check=True, capture_output=True, text=True).stdout)
    caught = 0
    for name, operator, line, mutant in drawn:
        path = root / name
        original = path.read_text()
        path.write_text(mutant)
        try:
            is_caught = _fails(tree, floor)
        finally:
            path.write_text(original)
        caught += is_caught
        print(f"{'caught ' if is_caught else 'MISSED '} {floor}/{name}:{line} {operator}", flush=True)
    return caught, len(drawn)


def _fails(tree: Path, floor: str) -> bool:
    """True where the floor's tests do not pass."""
    command = [
        sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-m", "not window", f"tests/{floor}",
    ]  # fmt: skip
    env = os.environ | {"PYTHONPATH": str(tree / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        ended = subprocess.run(command, cwd=tree, env=env, capture_output=True, timeout=PATIENCE_S, check=False)
    except subprocess.TimeoutExpired:
        return True
    return ended.returncode != 0
