"""Sheet of the far computer in use: link, guests and recordings."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet

if TYPE_CHECKING:
    from yarddial.distance.far_engine import FarEngine


class FarComputerSheet(Sheet):
    """State of the far computer, its users, and its recordings."""

    manual_page = "distance"

    def __init__(
        self, parent: QWidget, session: Session, ask: Callable[[], None], hand_over: Callable[[], None]
    ) -> None:
        far = session.far_engine
        super().__init__(parent, f"The far computer {far.computer.name}" if far is not None else "No far computer", 720)
        self._ask, self._hand_over = ask, hand_over
        self._session, self._recordings = session, session.far_recordings
        self.link, self.state, self.people = (Words("", 13, wrap=True) for _ in range(3))
        self.ask = button("Ask for control", tip="Whoever has it is told, and hands it over or not")
        self.hand_over = button("Hand control over", tip="To whoever has asked for it, or asks next")
        self.ask.clicked.connect(self._ask_for)
        self.hand_over.clicked.connect(self._hand)
        acts = QHBoxLayout()
        acts.addWidget(self.ask)
        acts.addWidget(self.hand_over)
        acts.addStretch()
        self._rows = QVBoxLayout()
        self._rows.setSpacing(px(6))
        for words in (self.link, self.state):
            self.body.addWidget(words)
        self.body.addWidget(hairline())
        self.body.addWidget(Words("Who is there", 15, "serif"))
        self.body.addWidget(self.people)
        self.body.addLayout(acts)
        self.body.addWidget(hairline())
        self.body.addWidget(Words("Recordings made there from here", 15, "serif"))
        self.body.addLayout(self._rows)
        self.body.addStretch()
        self.resize(px(720), px(560))
        soon = Soon(self, self.show_state)
        self.when_left(session.far_recordings.on_far_recordings_changed(soon), session.overview.on_state_changed(soon))
        self._recordings.refresh()
        self._shown: object = None
        self.show_state()

    def _ask_for(self) -> None:
        self._ask()

    def _hand(self) -> None:
        self._hand_over()

    def show_state(self) -> None:
        """Show the present state."""
        far = self._session.far_engine
        if far is None:
            self.link.setText("The receiver in use stands here.")
            return
        self.link.set_tone("spruce" if far.is_linked else "vermilion")
        link_words = f"answers come after {max(far.turn_s, 0.001) * 1e3:.0f} ms"
        self.link.setText(f"Linked: {link_words}." if far.is_linked else "Not reached: it is tried again by itself.")
        self.state.setText(_state(far))
        here = far.here
        people = here.people if here is not None else ()
        you = here.you if here is not None else -1
        people_words = [
            f"{'This window' if at == you else name} {'controls' if controls else 'listens'}"
            for at, (name, _, controls) in enumerate(people)
        ]
        asks = f"; {here.asks} asks for control" if here is not None and here.asks else ""
        self.people.setText(f"{', '.join(people_words)}{asks}." if people_words else "Nobody yet.")
        mine = people[you] if 0 <= you < len(people) else ("", "", False)
        self.ask.setEnabled(far.is_linked and not mine[2] and mine[1] == "control")
        self.hand_over.setEnabled(far.is_linked and mine[2])
        self._show_recordings()

    def _show_recordings(self) -> None:
        fetching = self._recordings.fetching
        shown = (
            self._recordings.there,
            *(self._recordings.waits(recording.name) for recording in self._recordings.there),
        )
        if shown != self._shown:
            self._shown = shown
            self._build_rows()
        for name, words in self._states.items():
            if fetching is not None and fetching.name == name:
                words.setText(f"{fetching.share:.0%} is here" if fetching.whole_bytes else "it is begun")
            else:
                here = self._recordings.brought.get(name)
                message = f"is here as {here.name}" if here is not None else ""
                words.setText("waits for its turn" if self._recordings.waits(name) else message)

    def _build_rows(self) -> None:
        empty(self._rows)
        self._states: dict[str, Words] = {}
        if not self._recordings.there:
            self._rows.addWidget(Words("None: what is recorded in Listen lies there first.", 13, tone="quiet"))
            return
        grid = QGridLayout()
        grid.setColumnStretch(2, 1)
        grid.setHorizontalSpacing(px(14))
        for row, recording in enumerate(self._recordings.there):
            self._states[recording.name] = words = Words("", 13, tone="quiet")
            grid.addWidget(Words(recording.name, 13, "mono"), row, 0)
            grid.addWidget(Words(_size(recording.size_bytes), 13), row, 1)
            grid.addWidget(words, row, 2)
            waits = self._recordings.waits(recording.name)
            get = button("Stop" if waits else "Bring over", plain=True, tip="What has come is kept and gone on with")
            get.clicked.connect(partial(self._leave if waits else self._bring, recording.name))
            drop = button("Remove there", plain=True, tip="Deleted on the far computer; what is here stays")
            drop.clicked.connect(partial(self._drop, recording.name))
            grid.addWidget(get, row, 3)
            grid.addWidget(drop, row, 4)
        self._rows.addLayout(grid)

    def _bring(self, name: str, _checked: bool = False) -> None:
        def keep(path: Path) -> None:
            self._recordings.bring(name, path)

        FileSheet(self, "Bring the recording over as", f"{name}.sigmf-meta", "Bring over", keep).show()

    def _leave(self, name: str, _checked: bool = False) -> None:
        self._recordings.leave(name)

    def _drop(self, name: str, _checked: bool = False) -> None:
        self._recordings.remove(name)


def _state(far: "FarEngine") -> str:
    """Load, temperature and disk, where known."""
    state = far.far
    if state is None:
        return "It has not told how it is."
    state_words = [f"{state.load:.0%} of its processors are busy"] if state.load >= 0 else []
    state_words += [f"{state.temperature_c:.0f} °C"] if state.temperature_c > -1 else []
    state_words += [f"{state.free_gb:,.0f} GB of disk free"] if state.free_gb >= 0 else []
    state_words += [f"{state.lost:,} samples lost"]
    return ", ".join(state_words) + "."


def _size(count: int) -> str:
    return f"{count / 1e6:,.1f} MB"
