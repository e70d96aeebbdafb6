"""The sheet that compares two recordings: two antennas, two receivers or two computers at the same time."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from threading import Event

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from yarddial.session.listening.recordings_comparison import RecordingsCompared, compare_recordings
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import MINUS, format_frequency, format_plain, parse_frequency
from yarddial.yard.plain_text import count_of

TOPIC = "comparison of recordings"
KINDS = "Recordings (*.sigmf-meta *.wav)"
ABOUT = (
    "Record the same signal at the same time with both: two receivers, two antennas, or here and at another computer. "
    "Fading is then alike in both, and the difference is that of the antennas and receivers."
)


class TwoRecordingsSheet(Sheet):
    """Two files, the signal, and the difference with its range."""

    manual_page = "listen"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Compare two recordings", 760)
        self._session = session
        self.headline = Headline()
        self.first = PathField("First recording", "a .sigmf-meta or .wav file", kinds=KINDS)
        self.second = PathField("Second recording", "of the same time", kinds=KINDS)
        self.signal, self.channel_width = QLineEdit(format_plain(session.desk.station.dial_hz)), QLineEdit("3 kHz")
        for field, name in ((self.signal, "Frequency of the signal"), (self.channel_width, "Width of its channel")):
            field.setFont(font(13, "mono"))
            field.setAccessibleName(name)
        self.compare = button("Compare", strong=True)
        self.compare.clicked.connect(self._begin)
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(14))
        grid.setColumnStretch(1, 1)
        for row, (words, widget) in enumerate(
            (
                ("First", self.first),
                ("Second", self.second),
                ("Signal at", self.signal),
                ("Channel", self.channel_width),
            )
        ):
            grid.addWidget(Words(words, 13), row, 0)
            grid.addWidget(widget, row, 1)
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(px(16))
        self._rows.setColumnStretch(0, 1)
        self.body.addWidget(self.headline)
        self.body.addLayout(grid)
        self.body.addLayout(self._rows)
        self.body.addWidget(Words(ABOUT, 13, tone="quiet", wrap=True))
        self.body.addStretch()
        self.buttons.insertWidget(1, self.compare)
        self._left_for = Event()
        self.when_left(lambda: session.background.withdraw(TOPIC), self._left_for.set)
        self.headline.show_verdict("unknown", "Which of two recordings hears it better?", "Choose both, then compare.")
        self.resize(px(760), px(520))

    def _begin(self) -> None:
        empty(self._rows)
        try:
            near_hz, width_hz = parse_frequency(self.signal.text()), parse_frequency(self.channel_width.text())
        except YardDialError as error:
            self._fail(str(error))
            return
        if self.first.path is None or self.second.path is None:
            self._fail("name both recordings")
            return
        self.compare.setEnabled(False)
        self.headline.show_verdict("unknown", "Measuring both, piece by piece.", "Close stops it.")
        work = partial(
            _compared, Path(self.first.path), Path(self.second.path), near_hz, width_hz, self._left_for.is_set
        )
        self._session.background.ask(TOPIC, work, self._take, self._fail)

    def _fail(self, sentence: str) -> None:
        self.compare.setEnabled(True)
        self.headline.show_verdict("stop", f"{sentence[:1].upper()}{sentence[1:]}.", "Nothing was compared.")

    def _take(self, result: RecordingsCompared | str) -> None:
        if isinstance(result, str):
            self._fail(result)
            return
        self.compare.setEnabled(True)
        over, where = result.compared.over, format_frequency(result.near_hz)
        sentences = {
            "first": ("good", f"The first hears {where} better by {abs(over.db):.1f} dB."),
            "second": ("good", f"The second hears {where} better by {abs(over.db):.1f} dB."),
            "alike": ("good", f"Both hear {where} alike."),
            "unsure": ("look", "Which is better is not settled: record longer."),
            "no signal": ("look", f"Nothing stands out of the noise at {where} in either."),
        }
        self.headline.show_verdict(*sentences[over.verdict], f"{count_of(result.pieces, 'piece')} of both compared.")
        if over.verdict == "no signal":
            return
        rows = (
            ("signal over noise", over),
            ("signal", result.compared.signal),
            ("noise beside it", result.compared.noise),
        )
        for row, (name, difference) in enumerate(rows):
            self._rows.addWidget(Words(name, 13, tone="quiet"), 2 * row, 0)
            self._rows.addWidget(Words(_db(difference.db), 13, "mono", 500), 2 * row, 1)
            between = f"{_db(difference.low_db)} to {_db(difference.high_db)}, 19 times in 20"
            self._rows.addWidget(Words(between, 13, "mono", tone="quiet"), 2 * row, 2)
            self._rows.addWidget(hairline(), 2 * row + 1, 0, 1, 3)


def _compared(
    first: Path, second: Path, near_hz: float, width_hz: float, is_cancelled: Callable[[], bool]
) -> RecordingsCompared | str:
    """Compare in the background: the result, or a sentence about what was wrong with the files or the frequency."""
    try:
        return compare_recordings(first, second, near_hz, width_hz, is_cancelled)
    except YardDialError as error:
        return str(error)


def _db(value: float) -> str:
    return f"{value:+.1f} dB".replace("-", MINUS)
