"""Sheet that reports a fault of the program."""

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from yarddial.session.faults import Fault
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet


def fault_sheet(parent: QWidget, fault: Fault, copy: Callable[[], None]) -> Sheet:
    """Build the sheet: what failed, and what the person may rely on."""
    sheet = Sheet(parent, "A fault in the program")
    words = (
        "Something went wrong that should not have. What was logged and saved is kept; what was under way has ended. "
        "If the window behaves oddly, close it and open it again. Please report these words:"
    )
    sheet.body.addWidget(Words(words, wrap=True))
    last = fault.details.strip().splitlines()[-1:] or [""]
    sheet.body.addWidget(Words(f"{fault.sentence.splitlines()[0]} {last[0]}", 13, "mono", wrap=True))
    sheet.body.addStretch()
    details = button("Copy the details")
    details.clicked.connect(copy)
    sheet.buttons.insertWidget(1, details)
    return sheet
