"""Origin of a value: measured, stated or assumed; date; and a note."""

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from yarddial.session.session import Session
from yarddial.session.station.building import today
from yarddial.ui.theme.lettering import font
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError
from yarddial.yard.part_values import values_of
from yarddial.yard.parts import Origin


class OriginSheet(Sheet):
    """Sheet that asks for a value's origin and stores it."""

    manual_page = "bench"

    def __init__(self, parent: QWidget, session: Session, part_name: str, key: str) -> None:
        value = next(value for value in values_of(session.desk.station.part(part_name)) if value.key == key)
        super().__init__(parent, f"Where does {part_name}'s '{value.label}' come from?", 520)
        self._session, self._part_name, self._key = session, part_name, key
        rule = f"It is {value.text or 'empty'} now. Measured beats stated, stated beats assumed."
        self.body.addWidget(Words(rule, 13, tone="quiet", wrap=True))
        self.provenance = ChoiceBox("Measured, stated or assumed")
        self.provenance.addItems(["measured", "stated", "assumed"])
        self.provenance.setCurrentText(value.origin.provenance)
        self.note = QLineEdit(value.origin.note)
        self.note.setFont(font(13))
        self.note.setPlaceholderText("with what, from which sheet, why")
        self.note.setAccessibleName("Note on where it comes from")
        self.note.returnPressed.connect(self.keep)
        row = QHBoxLayout()
        row.addWidget(self.provenance)
        row.addWidget(self.note, 1)
        self.body.addLayout(row)
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.body.addWidget(self.said)
        self.body.addStretch()
        keep = button("Keep", strong=True)
        keep.clicked.connect(self.keep)
        self.buttons.insertWidget(1, keep)
        self.resize(self.width(), 240)
        self.note.setFocus()

    def keep(self) -> None:
        """Store the origin in the part, with today's date."""
        origin = Origin(self.provenance.currentText(), today(), self.note.text().strip())  # type: ignore[arg-type]
        try:
            self._session.building.set_origin(self._part_name, self._key, origin)
        except YardDialError as error:
            self.said.setText(str(error))
        else:
            self.close()
