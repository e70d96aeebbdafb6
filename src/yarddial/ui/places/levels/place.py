"""The place Levels."""

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.session.verdict import levels_verdict
from yarddial.ui.places.levels.sweep_picture import SweepPicture
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import Choice
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.side_column import side_column
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import working_sheet
from yarddial.yard.frequency import MINUS
from yarddial.yard.parts import GainStage

# The surroundings of P.372, as people say them.
SURROUNDINGS = {"city": "city", "residential": "residential", "rural": "rural", "quiet": "quiet rural"}


class LevelsPlace(QWidget):
    """The sweep at the left; the gain stages, and what was found, at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._leveling = session, session.leveling
        self._stages: tuple[GainStage, ...] | None = None
        self.headline = Headline()
        self.picture = SweepPicture()
        self.use = button("Use this gain", strong=True, tip="Set what is advised; Ctrl+Z takes it back")
        self.use.clicked.connect(self._leveling.use)
        self.cancel = button("Cancel", tip="End the sweep; the gain is set back (Esc)")
        self.cancel.clicked.connect(self._leveling.cancel)
        self._why_not = Words("", 12, tone="quiet", wrap=True)
        self._rows, self._found, self._along = QVBoxLayout(), QVBoxLayout(), QVBoxLayout()
        self.surroundings = Choice("Surroundings")
        for name, text in SURROUNDINGS.items():
            self.surroundings.addItem(text, name)
        self.surroundings.setCurrentIndex(self.surroundings.findData(self._leveling.surroundings))
        self.surroundings.activated.connect(lambda: self._leveling.choose_surroundings(self.surroundings.currentData()))
        self.sweeps: dict[str, QWidget] = {}
        self._lay_out()
        self._show_soon = Soon(self, self._show)
        self._leveling.on_levels_changed(self._show_soon)
        self._show()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(px(10))
        row.addWidget(self.use)
        row.addWidget(self.cancel)
        row.addWidget(self._why_not, 1)
        left = QVBoxLayout()
        left.setSpacing(px(8))
        left.addWidget(self.picture, 1)
        left.addLayout(row)
        beside, right = side_column(300)
        right.addWidget(Words("Gain stages", 15, "serif"))
        right.addLayout(self._rows)
        right.addSpacing(px(8))
        right.addWidget(Words("What the sweep found", 15, "serif"))
        right.addLayout(self._found)
        right.addSpacing(px(8))
        head = QHBoxLayout()
        head.addWidget(Words("Noise along the line", 15, "serif"), 1)
        head.addWidget(self.surroundings)
        right.addLayout(head)
        right.addLayout(self._along)
        right.addStretch()
        grid = QGridLayout(self)
        grid.setContentsMargins(px(26), px(16), px(24), px(10))
        grid.setHorizontalSpacing(px(22))
        grid.setVerticalSpacing(px(8))
        grid.addWidget(self.headline, 0, 0, 1, 2)
        grid.addLayout(left, 1, 0)
        grid.addWidget(beside, 1, 1)
        grid.setColumnStretch(0, 1)
        grid.setRowStretch(1, 1)

    def _show(self) -> None:
        leveling, session = self._leveling, self._session
        verdict = levels_verdict(leveling, session.desk)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        if leveling.stages != self._stages:
            self._stages = leveling.stages
            self._fill_stages()
        why_not = leveling.why_not_sweep()
        running = leveling.fraction is not None
        for sweep in self.sweeps.values():
            sweep.setEnabled(not why_not)
        self.cancel.setVisible(running)
        self._why_not.setText("" if running or not why_not else f"{why_not[:1].upper()}{why_not[1:]}.")
        swept = leveling.swept
        stage = next((s for s in leveling.stages if swept is not None and s.name == swept.stage), None)
        current = leveling.is_current
        advice = leveling.advice if current else None
        self.use.setEnabled(advice is not None and stage is not None and abs(stage.set_db - advice.gain_db) > 0.05)
        self.picture.empty_text = "Nothing was swept here yet: sweep a stage to see each of its steps."
        steps = leveling.steps if current and stage is not None else ()
        ends_db = (stage.steps_db[0], stage.steps_db[-1]) if stage is not None else (0.0, 50.0)
        self.picture.show_sweep(steps, advice, stage.set_db if stage is not None else 0.0, ends_db)
        self._fill_found()
        self._fill_along()

    def _fill_stages(self) -> None:
        _clear(self._rows)
        self.sweeps = {}
        for stage in self._stages or ():
            row = QHBoxLayout()
            choice = Choice(f"Gain of {stage.name}")
            for gain_db in stage.steps_db:
                choice.addItem(_said(stage, gain_db), gain_db)
            choice.setCurrentIndex(stage.steps_db.index(stage.nearest_db(stage.set_db)))
            choice.activated.connect(
                lambda _, s=stage.name, box=choice: self._leveling.set_gain(s, float(box.currentData()))
            )
            sweep = button("Sweep", plain=True, tip="Measure at each of its steps")
            sweep.setAccessibleName(f"Sweep {stage.name}")
            sweep.clicked.connect(lambda _, s=stage.name: self._leveling.sweep(s))
            self.sweeps[stage.name] = sweep
            row.addWidget(Words(stage.name, 13, weight=500), 1)
            row.addWidget(choice)
            row.addWidget(sweep)
            self._rows.addLayout(row)
            if stage.reads == "attenuation":
                text = f"its control reads attenuation: {stage.control_text(stage.set_db)} now"
                self._rows.addWidget(Words(text, 12, tone="quiet", wrap=True))
            self._rows.addWidget(hairline())

    def _fill_found(self) -> None:
        _clear(self._found)
        advice = self._leveling.advice if self._leveling.is_current else None
        if advice is None:
            self._found.addWidget(Words("Nothing yet.", 12, tone="quiet"))
            return
        lines = [
            ("signal over noise there", None if advice.over_db is None else f"{advice.over_db:.1f} dB"),
            ("antenna's noise takes over", _from(advice.taken_over_db, "never")),
            ("bends or is full", _from(advice.bent_from_db, "nowhere")),
            ("half way costs", _cost(advice.half_way_costs_db)),
            ("all of it costs", _cost(advice.most_costs_db)),
        ]
        for name, text in lines:
            if text is None:
                continue
            row = QHBoxLayout()
            row.addWidget(Words(name, 12, tone="quiet"), 1)
            row.addWidget(Words(text, 13, "mono", 500))
            self._found.addLayout(row)
            self._found.addWidget(hairline())

    def _fill_along(self) -> None:
        """Floor behind each part, and what decides."""
        _clear(self._along)
        line = self._leveling.line()
        if line is None:
            self._along.addWidget(Words("The dial is out of reach.", 12, tone="quiet"))
            return
        way = f"{line.chain.bandwidth_hz / 1e3:g} kHz"
        if line.over_db >= 0:
            spare = f"{line.to_spare_db:.0f} dB of attenuation would cost 1 dB"
            text = f"noise from outside is {line.over_db:.0f} dB over the route's own; {spare}"
        else:
            most = f"most of it from {line.noisiest}"
            text = f"the route's own noise is {-line.over_db:.0f} dB over what comes from outside, {most}"
        self._along.addWidget(Words(text[:1].upper() + text[1:] + ".", 12, wrap=True))
        for plate in line.plates:
            row = QHBoxLayout()
            row.addWidget(Words(f"behind {plate.name}", 12, tone="quiet"), 1)
            row.addWidget(Words(f"{plate.floor_dbm:.1f} dBm".replace("-", MINUS), 13, "mono", 500))
            self._along.addLayout(row)
            self._along.addWidget(hairline())
        beneath = [f"floor in {way}"]
        beneath += [f"{line.soonest_bent} overloads first"] if line.soonest_bent else []
        beneath += [f"not stated, taken as usual: {'; '.join(line.assumed)}"] if line.assumed else []
        self._along.addWidget(
            Words(". ".join(part[:1].upper() + part[1:] for part in beneath) + ".", 12, tone="quiet", wrap=True)
        )
        link = button("Show the working", plain=True)
        link.clicked.connect(lambda: working_sheet(self.window() or self, line.chain.working()).show())
        self._along.addWidget(link)


def _said(stage: GainStage, gain_db: float) -> str:
    return f"{gain_db:g} dB".replace("-", MINUS)


def _from(gain_db: float | None, never: str) -> str:
    return never if gain_db is None else f"from {gain_db:g} dB".replace("-", MINUS)


def _cost(cost_db: float | None) -> str | None:
    if cost_db is None:
        return None
    return "nothing" if cost_db < 0.5 else f"{cost_db:.1f} dB" if cost_db < 60 else "all of it"


def _clear(layout: QVBoxLayout | QHBoxLayout) -> None:
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            continue
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif isinstance(inner := item.layout(), QVBoxLayout | QHBoxLayout):
            _clear(inner)
