"""The sheet "What must lie on the table": the lists of this yard, and a file to print."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from yarddial.analysis.audit.kit import KitSection, kit
from yarddial.records.kit_text import kit_html, kit_markdown
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.pdf import write_page
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError
from yarddial.yard.station import Station


class KitSheet(Sheet):
    """Sections one below the other."""

    manual_page = "bench"

    def __init__(self, parent: QWidget, station: Station, folder: Path) -> None:
        super().__init__(parent, "What must lie on the table", 760)
        self._name, self._sections = station.name, kit(station)
        headline = Headline()
        missing = next((s.lines[-1] for s in self._sections if s.lines[-1].startswith("To get")), "")
        if not station.parts:
            headline.show_verdict("unknown", "The yard has no parts yet.", "Answer 'What have you got?' first.")
        elif missing:
            headline.show_verdict("look", f"{missing}.", "The rest of this list is for this yard alone.")
        else:
            headline.show_verdict("good", "All leads mate, as far as their connectors are known.", "Tick off the list.")
        self.body.addWidget(headline)
        for section in self._sections:
            self._add(section)
        self.body.addStretch()
        self.said = Words("", 12, tone="quiet", wrap=True)
        self.target = PathField("File for the list: .pdf, .html or .md", writes=True)
        self.target.setText(str(folder / "on-the-table.pdf"))
        self.target.returnPressed.connect(self.save)
        save = button("Save to print", strong=True)
        save.clicked.connect(self.save)
        row = QHBoxLayout()
        row.addWidget(self.target, 1)
        row.addWidget(save)
        self.add_foot(row, self.said)
        self.resize(px(760), px(660))

    def _add(self, section: KitSection) -> None:
        self.body.addWidget(Words(section.title, 15, "serif"))
        for line in section.lines:
            row = QHBoxLayout()
            row.setSpacing(px(8))
            row.addWidget(Words("☐", 13), 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(Words(line, 13, wrap=True), 1)
            self.body.addLayout(row)

    def save(self) -> None:
        """Write the file in the form of its ending."""
        path = Path(self.target.text().strip()).expanduser()
        try:
            write_page(
                path, lambda: kit_html(self._name, self._sections), lambda: kit_markdown(self._name, self._sections)
            )
        except YardDialError as error:
            self.said.set_tone("vermilion")
            self.said.setText(str(error)[:1].upper() + str(error)[1:] + ".")
        else:
            self.said.set_tone("spruce")
            self.said.setText(f"Saved as {path}.")
