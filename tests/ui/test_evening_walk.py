"""Places do not contradict each other, and no correction is lost, whatever a person does in an evening."""

from pathlib import Path

from pytestqt.qtbot import QtBot

from evening import Evening
from yarddial.ui.start import dressed_application

ACTIONS = 8


def test_a_whole_evening_goes_without_a_contradiction(qtbot: QtBot, tmp_path: Path) -> None:
    dressed_application("day", 1.0)
    evening = Evening(tmp_path, seed=3)
    for name in ("sheet", "measure", "apply", "undo", "redo", "device", *[""] * ACTIONS):
        evening.act(name)
    evening.close()
    assert evening.wrong == []
    # The walk has seen something: measurements, entered values, and the list beside the place.
    assert evening.seen["measured"] > 0
    assert evening.seen["entered"] > 0
    assert evening.seen["rows in both"] > 20
