"""A path typed, dropped on the field, or chosen in the dialog."""

from pathlib import Path

from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from yarddial.ui.widgets.path_field import PathField


def test_a_path_is_typed_dropped_or_chosen(qtbot: QtBot, tmp_path: Path) -> None:
    field = PathField("Recording", kinds="Sound (*.wav)")
    qtbot.addWidget(field)
    field.show()
    assert field.path is None
    qtbot.keyClicks(field, "~/one.wav")
    assert field.path == Path.home() / "one.wav"
    dropped, chosen = tmp_path / "two.wav", tmp_path / "three.wav"
    chosen.write_bytes(b"")
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(dropped))])
    drop = QDropEvent(
        QPointF(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    field.dropEvent(drop)
    assert field.path == dropped
    qtbot.mouseClick(field.choose, Qt.MouseButton.LeftButton)
    dialog = field.findChildren(QFileDialog)[0]
    assert Path(dialog.directory().absolutePath()) == tmp_path
    assert dialog.nameFilters() == ["Sound (*.wav)", "All files (*)"]
    dialog.selectFile(str(chosen))
    dialog.accept()
    assert field.path == chosen
