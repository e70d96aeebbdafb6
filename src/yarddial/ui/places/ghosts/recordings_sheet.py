"""True or spurious by recordings: at least two files, made with one thing changed."""

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.ui.work import Work
from yarddial.yard.errors import BadRecording
from yarddial.yard.frequency_conversion import path_sense

INTRODUCTION_TEXT = (
    "Record the same stretch of the dial twice, with the centre moved by a tenth of the span between: a true signal "
    "keeps its place, a mirror or a spike does not. One at another rate tells what was folded in, one with an "
    "attenuator before the receiver tells products of strong signals: they fall by more than it takes. SigMF files."
)
SIGMF = "SigMF recordings (*.sigmf-meta)"
FIELDS = ("First recording", "Centre moved", "Another rate, if there is one", "Attenuation, if there is one")


class RecordingsSheet(Sheet):
    """Takes paths and passes judgements to the place; shows refusals."""

    manual_page = "ghosts"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "True or ghost by recordings", 680)
        self._session = session
        self.files = [PathField(name, kinds=SIGMF) for name in FIELDS]
        self.less = QLineEdit()
        self.less.setFont(font(13, "mono"))
        self.less.setAccessibleName("So much of it, dB")
        self._said = Words("", 12, tone="vermilion", wrap=True)
        self._said.setAccessibleName("Refusal")
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(12))
        grid.setVerticalSpacing(px(6))
        for row, field in enumerate((*self.files, self.less)):
            grid.addWidget(Words(field.accessibleName(), 13), row, 0)
            grid.addWidget(field, row, 1)
            field.returnPressed.connect(self._judge)
        self.body.addWidget(Words(INTRODUCTION_TEXT, 13, tone="quiet", wrap=True))
        self.body.addLayout(grid)
        self.body.addWidget(self._said)
        self.body.addStretch()
        self.judge = button("Judge", strong=True)
        self.judge.clicked.connect(self._judge)
        self.buttons.insertWidget(1, self.judge)
        self.resize(self.width(), px(400))

    def _judge(self) -> None:
        from yarddial.session.spurious.recorded_spans import judge_recordings

        paths = [field.path for field in self.files if field.path is not None]
        try:
            less_db = self._less_db()
        except BadRecording as error:
            self._refuse(str(error))
            return
        route = self._session.desk.route
        stages = route.counted_stages(self._session.desk.station.dial_hz)
        self.judge.setEnabled(False)
        self._said.setText("")
        work = Work(
            self,
            lambda: judge_recordings(
                paths, less_db=less_db, sense=path_sense(stages), has_converter=bool(route.stages)
            ),
        )
        names = " and ".join(path.name for path in paths)
        work.done.connect(lambda found: self._take(found, names))
        work.refused.connect(self._refuse)
        work.start()

    def _less_db(self) -> float:
        text = self.less.text().strip().removesuffix("dB").strip()
        try:
            value = float(text or "0")
        except ValueError:
            value = -1.0
        if not 0 <= value <= 60:
            raise BadRecording(f"'{text}' is no attenuation: give 0 to 60 dB, such as 10")
        return value

    def _take(self, judged: object, names: str) -> None:
        from yarddial.session.spurious.judged_span import Recorded

        assert isinstance(judged, Recorded)
        self._session.span_test.take_recorded(judged, names)
        self.close()

    def _refuse(self, sentence: str) -> None:
        self.judge.setEnabled(True)
        self._said.setText(f"{sentence[:1].upper()}{sentence[1:]}.")
