"""Sheets that explain: the keys, the words, and a fault of the program itself."""

from PyQt6.QtWidgets import QWidget

from yarddial.ui.keys import KEYS
from yarddial.ui.widgets.words import Words
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.glossary import GLOSSARY


def keys_sheet(parent: QWidget) -> Sheet:
    """The list of keys."""
    sheet = Sheet(parent, "Keys")
    sheet.rows([(key, "", meaning) for key, meaning in KEYS])
    sheet.body.addStretch()
    return sheet


def words_sheet(parent: QWidget) -> Sheet:
    """The words used, each in a sentence or two."""
    sheet = Sheet(parent, "Words")
    sheet.rows([(term, "", meaning) for term, meaning in GLOSSARY])
    sheet.body.addStretch()
    return sheet


def fault_sheet(parent: QWidget, kind: type[BaseException], fault: BaseException) -> Sheet:
    """The last resort: what went wrong in the program, and what the person may rely on."""
    sheet = Sheet(parent, "A fault in the program")
    words = (
        "Something went wrong that should not have. What was logged and saved is kept; if the window behaves "
        "oddly, close it and open it again. Please report these words:"
    )
    sheet.body.addWidget(Words(words, wrap=True))
    sheet.body.addWidget(Words(f"{kind.__name__}: {fault}", 13, "mono", wrap=True))
    sheet.body.addStretch()
    return sheet
