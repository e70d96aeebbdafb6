"""The place Levels."""

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget

from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.session import Session
from yarddial.ui.places.levels.level_findings import along_rows, found_rows, tested_rows
from yarddial.ui.places.levels.line_picture import LinePicture
from yarddial.ui.places.levels.noise_row import NoiseRow
from yarddial.ui.places.levels.setting_picture import SettingPicture
from yarddial.ui.places.levels.sweep_picture import SweepPicture
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.flow_row import FlowRow
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.side_by_side import side_by_side
from yarddial.ui.widgets.side_column import side_column
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import working_sheet
from yarddial.yard.frequency import MINUS
from yarddial.yard.parts import GainStage

# Surroundings of ITU-R P.372 in everyday words.
SURROUNDINGS = {"city": "city", "residential": "residential", "rural": "rural", "quiet": "quiet rural"}
# Distant thunderstorms, which dominate long wave and much of short wave.
STORMS = {
    "now": "storms of this hour and month", "now, southern": "storms of this hour, south of the equator",
    "summer day": "summer day's storms", "summer night": "summer night's storms", "winter day": "winter day's storms",
    "winter night": "winter night's storms", "none": "no thunderstorms",
}  # fmt: skip


class LevelsPlace(QWidget):
    """Sweep and levels along the route at the left; gain stages and results at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._levels = session, session.levels
        self._stages: tuple[GainStage, ...] | None = None
        self.headline = Headline()
        self.picture, self.settings = SweepPicture(), SettingPicture()
        self.along = LinePicture()
        self._upper = QStackedLayout()
        self.use = button("Use this gain", strong=True, tip="Set what is advised; Ctrl+Z takes it back")
        self.use.clicked.connect(self._levels.use)
        self.sweep_all = button("Sweep all together", tip="Measure at every setting of all stages")
        self.sweep_all.clicked.connect(self._levels.sweep_all)
        self.test = button("3:1 test", tip="Take some decibels off in front: what falls faster is made in the receiver")
        self.test.clicked.connect(self._levels.test_products)
        self.cancel = button("Cancel", tip="End the sweep; the gain is set back (Esc)")
        self.cancel.clicked.connect(self._levels.cancel)
        self.use_kept = button("", plain=True, tip="Set the gains used before for this band and route")
        self.use_kept.clicked.connect(self._levels.use_kept)
        self._why_not = Words("", 12, tone="quiet", wrap=True)
        self._rows, self._found, self._tested, self._told = (QVBoxLayout() for _ in range(4))
        self.surroundings = ChoiceBox("Surroundings")
        for name, text in SURROUNDINGS.items():
            self.surroundings.addItem(text, name)
        self.surroundings.activated.connect(lambda: self._levels.choose_surroundings(self.surroundings.currentData()))
        self.storms = ChoiceBox("Thunderstorms far away, which decide long wave and much of short wave")
        for name, text in STORMS.items():
            self.storms.addItem(text, name)
        self.storms.activated.connect(lambda: self._levels.choose_atmospherics(self.storms.currentData()))
        self.sweeps: dict[str, QWidget] = {}
        self._lay_out()
        self._show_soon = Soon(self, self._show)
        self._levels.on_levels_changed(self._show_soon)
        self._show()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(px(10))
        for widget in (self.use, self.sweep_all, self.test, self.cancel):
            row.addWidget(widget)
        row.addWidget(self._why_not, 1)
        self._upper.addWidget(self.picture)
        self._upper.addWidget(self.settings)
        left = QVBoxLayout()
        left.setSpacing(px(6))
        left.addLayout(self._upper, 5)
        left.addLayout(row)
        head = FlowRow(Words("Levels along the line", 15, "serif"), self.surroundings, self.storms)
        left.addLayout(head)
        left.addWidget(self.along, 4)
        beside, right = side_column(300)
        self.noise = NoiseRow(self._session.noise_watch)
        right.addWidget(Words("Gain stages", 15, "serif"))
        right.addLayout(self._rows)
        right.addWidget(self.use_kept)
        right.addSpacing(px(6))
        for title, rows in (
            ("What the sweep found", self._found),
            ("What limits", self._told),
            ("What the 3:1 test found", self._tested),
        ):
            right.addWidget(Words(title, 15, "serif"))
            right.addLayout(rows)
            right.addSpacing(px(6))
        right.addWidget(Words("Noise through the evening", 15, "serif"))
        right.addWidget(self.noise)
        right.addStretch()
        side_by_side(self, self.headline, left, beside)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Measure the present levels for the picture."""
        super().showEvent(event)
        self._levels.weigh()

    def _show(self) -> None:
        levels, session = self._levels, self._session
        if self.isVisible():
            levels.weigh()
        verdict = levels_verdict(levels, session.desk)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        if levels.stages != self._stages:
            self._stages = levels.stages
            self._fill_stages()
        self._show_acts()
        self._show_sweep()
        self.surroundings.setCurrentIndex(self.surroundings.findData(levels.surroundings))
        self.storms.setCurrentIndex(self.storms.findData(levels.atmospherics))
        line = levels.level_line()
        self.along.show_line(session.desk.route.antenna.name, line)
        refill(self._found, found_rows(levels))
        refill(self._tested, tested_rows(levels))
        refill(self._told, along_rows(line))
        if line is not None:
            link = button("Show the working", plain=True)
            link.clicked.connect(lambda: working_sheet(self.window() or self, line.chain.working()).show())
            self._told.addWidget(link)

    def _show_acts(self) -> None:
        levels = self._levels
        why_not = levels.why_not_sweep()
        # A weighing ends before a button could be pressed.
        running = levels.fraction is not None and levels.running_purpose != "weigh"
        for sweep in (*self.sweeps.values(), self.sweep_all):
            sweep.setEnabled(not why_not)
        self.sweep_all.setVisible(len(levels.stages) > 1 and not running)
        self.test.setVisible(not running)
        self.test.setEnabled(not levels.why_not_test())
        self.cancel.setVisible(running)
        shown = "" if levels.fraction is not None or not why_not else f"{why_not[:1].upper()}{why_not[1:]}."
        self._why_not.setText(shown)
        advised = levels.advised() if levels.is_current else ()
        now = dict(self._session.desk.route.receiver.gains_db())
        self.use.setEnabled(any(abs(now.get(name, gain_db) - gain_db) > 0.05 for name, gain_db in advised))
        self.use.setText("Use this setting" if len(advised) > 1 else "Use this gain")
        stored_gains = levels.kept_here()
        self.use_kept.setVisible(stored_gains is not None)
        if stored_gains is not None:
            gains = ", ".join(f"{gain_db:g}" for _, gain_db in stored_gains.gains_db).replace("-", MINUS)
            self.use_kept.setText(f"Used before for {stored_gains.band}: {gains} dB")
            self.use_kept.setEnabled(any(now.get(name) != gain_db for name, gain_db in stored_gains.gains_db))

    def _show_sweep(self) -> None:
        levels = self._levels
        swept, current = levels.swept, levels.is_current
        if swept is not None and current and swept.purpose == "all":
            self._upper.setCurrentWidget(self.settings)
            self.settings.show_settings(levels.steps, levels.setting, self._session.desk.route.receiver.gains_db())
            return
        self._upper.setCurrentWidget(self.picture)
        stage = next((s for s in levels.stages if swept is not None and s.name == swept.stage), None)
        self.picture.empty_text = "Nothing was swept here yet: sweep a stage to see each of its steps."
        steps = levels.steps if current and stage is not None else ()
        ends_db = (stage.steps_db[0], stage.steps_db[-1]) if stage is not None else (0.0, 50.0)
        advice = levels.advice if current else None
        self.picture.show_sweep(steps, advice, stage.set_db if stage is not None else 0.0, ends_db)

    def _fill_stages(self) -> None:
        empty(self._rows)
        self.sweeps = {}
        for stage in self._stages or ():
            row = QHBoxLayout()
            choice = ChoiceBox(f"Gain of {stage.name}")
            for gain_db in stage.steps_db:
                choice.addItem(f"{gain_db:g} dB".replace("-", MINUS), gain_db)
            choice.setCurrentIndex(stage.steps_db.index(stage.nearest_db(stage.set_db)))
            choice.activated.connect(
                lambda _, s=stage.name, box=choice: self._levels.set_gain(s, float(box.currentData()))
            )
            sweep = button("Sweep", plain=True, tip="Measure at each of its steps")
            sweep.setAccessibleName(f"Sweep {stage.name}")
            sweep.clicked.connect(lambda _, s=stage.name: self._levels.sweep(s))
            self.sweeps[stage.name] = sweep
            row.addWidget(Words(stage.name, 13, weight=500), 1)
            row.addWidget(choice)
            row.addWidget(sweep)
            self._rows.addLayout(row)
            if stage.reads == "attenuation":
                text = f"its control reads attenuation: {stage.control_text(stage.set_db)} now"
                self._rows.addWidget(Words(text, 12, tone="quiet", wrap=True))
            self._rows.addWidget(hairline())


def refill(layout: QVBoxLayout, rows: list[tuple[str, str]]) -> None:
    """Fill with names and values; a row without a value is a sentence."""
    empty(layout)
    for name, text in rows:
        if not text:
            layout.addWidget(Words(name, 12, wrap=True))
            continue
        row = QHBoxLayout()
        row.addWidget(Words(name, 12, tone="quiet"), 1)
        row.addWidget(Words(text, 13, "mono", 500))
        layout.addLayout(row)
        layout.addWidget(hairline())
