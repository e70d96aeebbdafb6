"""Field for a path: typed, completed from the disk, dropped, or chosen in a dialog."""

from pathlib import Path

from PyQt6.QtCore import QDir
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QFileSystemModel, QResizeEvent
from PyQt6.QtWidgets import QCompleter, QFileDialog, QLineEdit

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.words import button


class PathField(QLineEdit):
    """A line of text with a button at its end.

    writes : the file need not exist. kinds : filter of the dialog, such as "Sound (*.wav *.flac)".
    """

    def __init__(self, name: str, hint: str = "", *, writes: bool = False, kinds: str = "") -> None:
        super().__init__()
        self._writes, self._kinds = writes, kinds
        self.setFont(font(13, "mono"))
        self.setAccessibleName(name)
        self.setPlaceholderText(hint)
        self.choose = button("Choose", plain=True, tip="Choose the file in a dialog")
        self.choose.setAccessibleName(f"Choose: {name}")
        self.choose.setFont(font(12, "sans", 500))
        self.choose.setParent(self)
        self.choose.clicked.connect(self._ask)
        self.setTextMargins(0, 0, self.choose.sizeHint().width() + px(2), 0)
        self.setMinimumHeight(self.choose.sizeHint().height() + px(4))

    @property
    def path(self) -> Path | None:
        """Given path with the home folder expanded; None where empty."""
        text = self.text().strip()
        return Path(text).expanduser() if text else None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Keep the button at the end."""
        super().resizeEvent(event)
        size = self.choose.sizeHint()
        self.choose.setGeometry(
            self.width() - size.width(), (self.height() - size.height()) // 2, size.width(), size.height()
        )

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Accept a file."""
        if event is not None and _dropped(event):
            event.acceptProposedAction()
        else:
            super().dragEnterEvent(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Replace the text by the dropped path."""
        path = _dropped(event) if event is not None else ""
        if event is not None and path:
            self.setText(path)
            event.acceptProposedAction()
        else:
            super().dropEvent(event)

    def complete_from_disk(self) -> None:
        """Complete from the disk; optional, since it watches the disk."""
        model = QFileSystemModel(self)
        model.setRootPath(QDir.rootPath())
        completer = QCompleter(model, self)
        completer.setCompletionMode(QCompleter.CompletionMode.InlineCompletion)
        self.setCompleter(completer)

    def _ask(self) -> None:
        given = self.path
        dialog = QFileDialog(self, self.accessibleName())
        dialog.setFileMode(QFileDialog.FileMode.AnyFile if self._writes else QFileDialog.FileMode.ExistingFile)
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave if self._writes else QFileDialog.AcceptMode.AcceptOpen)
        dialog.setNameFilters([self._kinds, "All files (*)"] if self._kinds else ["All files (*)"])
        folder = given if given is not None and given.is_dir() else given.parent if given is not None else Path.home()
        dialog.setDirectory(str(folder if folder.is_dir() else Path.home()))
        if given is not None and not given.is_dir():
            dialog.selectFile(given.name)
        dialog.fileSelected.connect(self._chosen)
        dialog.open()

    def _chosen(self, path: str) -> None:
        self.setText(path)
        self.setFocus()


def _dropped(event: QDropEvent) -> str:
    """First dragged file, or None."""
    data = event.mimeData()
    urls = data.urls() if data is not None else []
    return next((url.toLocalFile() for url in urls if url.isLocalFile()), "")
