"""Sheet that asks for a file: a path with completion, and recent files."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError


class FileSheet(Sheet):
    """Enter submits the path; a refusal is shown under it and the sheet stays.

    reads : the file must exist; otherwise it is written. note : a caution under the path.
    """

    manual_page = "files"

    def __init__(
        self,
        parent: QWidget,
        heading: str,
        name: str,
        verb: str,
        submit: Callable[[Path], object],
        recent: tuple[Path, ...] = (),
        *,
        reads: bool = False,
        note: str = "",
        recent_title: str = "Lately opened",
    ) -> None:
        super().__init__(parent, heading, 640)
        self._submit = submit
        self.line = PathField(heading, writes=not reads)
        self.line.setText(str(Path.home() / name) if name else f"{Path.home()}/")
        self.line.returnPressed.connect(self.keep)
        self.line.complete_from_disk()
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.body.addWidget(self.line)
        self.body.addWidget(self.said)
        if note:
            self.body.addWidget(Words(note, 12, tone="ochre", wrap=True))
        if recent:
            self.body.addWidget(Words(recent_title, 13, tone="quiet"))
        for path in recent:
            link = button(str(path), plain=True)
            link.clicked.connect(lambda _=False, chosen=path: self._choose(chosen))
            self.body.addWidget(link)
        self.body.addStretch()
        keep = button(verb, strong=True)
        keep.clicked.connect(self.keep)
        self.buttons.insertWidget(1, keep)
        self.resize(self.width(), 250 if not recent else 380)
        self.line.setFocus()
        self.line.setCursorPosition(len(self.line.text()))

    def keep(self) -> None:
        """Submit the path."""
        try:
            self._submit(self.line.path or Path())
        except YardDialError as error:
            self.said.setText(str(error)[:1].upper() + str(error)[1:] + ".")
        else:
            self.close()

    def _choose(self, path: Path) -> None:
        self.line.setText(str(path))
        self.keep()
