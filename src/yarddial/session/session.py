"""The session: one person at one station now. Joins desk, reception, truing and log, and passes events along."""

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from yarddial.records.entry import Entry
from yarddial.session.band_run import BandRun
from yarddial.session.board import Board
from yarddial.session.checking import BeginRun, Checking
from yarddial.session.comparing import Comparing
from yarddial.session.curing import Curing
from yarddial.session.desk import Desk
from yarddial.session.engine.messages import Event
from yarddial.session.engine.process import EngineLink, EngineProcess
from yarddial.session.expecting import Expecting
from yarddial.session.following import Following
from yarddial.session.ghosting import Ghosting
from yarddial.session.inspection import Inspection
from yarddial.session.leveling import Leveling
from yarddial.session.listening import Listening
from yarddial.session.lo_scan import LoScan
from yarddial.session.log_keeper import Book, LogKeeper
from yarddial.session.proving import Proving
from yarddial.session.reception import Reception
from yarddial.session.strong_signals import StrongSignals
from yarddial.session.truing import Truing
from yarddial.session.watching import Watching
from yarddial.yard.frequency import format_frequency
from yarddial.yard.reach import reaching
from yarddial.yard.station import Reference, Station

if TYPE_CHECKING:
    # Not needed before the first paint.
    from pathlib import Path

    from yarddial.session.building import Building
    from yarddial.session.live_ways import LiveWays
    from yarddial.session.other_ways import OtherWays
    from yarddial.session.spanning import Spanning

# Polls between two savings of the dial, and between two attempts to write what the log could not take.
RETRY_POLLS = 120
# Polls, about a minute, after which the dial's doubt has grown by something.
GROW_POLLS = 3600


class Session:
    """All that a window or a script needs; knows neither."""

    def __init__(
        self,
        station: Station,
        engine: EngineLink,
        open_book: Callable[[], Book],
        save: Callable[[Station], None] | None = None,
        recovered: Station | None = None,
        begin_check: "BeginRun | None" = None,
    ) -> None:
        self._engine = engine
        self._polls = 0
        # Whoever is loaded later and wants the engine's events too.
        self._takers: list[Callable[[Event], None]] = []
        self.recovered = recovered
        self.desk = Desk(station, save)
        self.inspection = Inspection(self.desk)
        self.log = LogKeeper(open_book)
        self.reception = Reception(engine)
        self.truing = Truing(self.desk, self.reception, engine, self.log)
        self.watching = Watching(self.desk, self.reception, engine, self.truing, self.log)
        self.lo_scan = LoScan(
            self.desk, self.reception, engine, lambda: self.truing.oscillators, self.truing.follow_dial
        )
        self.listening = Listening(self.desk, self.reception, engine, self.truing.follow_dial, self.note)
        self.following = Following(self.desk, self.reception, engine, self.truing)
        self.leveling = Leveling(self.desk, self.reception, engine, self.log)
        self.proving = Proving(self.desk, self.reception, self.listening)
        self.comparing = Comparing(self.desk, self.reception, engine, self.log, self.listening.pause, self._give_back)
        self.strong = StrongSignals(self.desk, self.reception, engine, self.truing, self.log, self._give_back)
        self.ghosting = Ghosting(self.desk, self.reception, engine, self.truing, self.log, self.strong, self._give_back)
        self.expecting = Expecting(self.desk, self.ghosting)
        self.curing = Curing(self.desk, self.reception, engine, self.truing, self.ghosting, self.log, self._give_back)
        self.board = Board(self.desk, self.truing, self.log)
        self.band_run = BandRun(self.desk, self.reception, self.truing, self.ghosting, self.board, self.log)
        self.checking = Checking(self.desk, self.reception, self.log, begin_check)
        self.truing.follow_dial()

    @cached_property
    def spanning(self) -> "Spanning":
        """Which rate and centre; loaded when it is first asked for."""
        from yarddial.session.spanning import Spanning

        return Spanning(self.desk)

    @cached_property
    def live_ways(self) -> "LiveWays":
        """Tones and rasters with the receiver; loaded when it is first asked for."""
        import tempfile
        from pathlib import Path

        from yarddial.session.live_ways import LiveWays

        folder = Path(tempfile.mkdtemp(prefix="yard-dial-"))
        made = LiveWays(self.desk, self.reception, self._engine, self.truing, folder)
        self._takers.append(made.take)
        return made

    @cached_property
    def other_ways(self) -> "OtherWays":
        """Truing by hand, by tones, rasters and files; loaded when it is first asked for."""
        from yarddial.session.other_ways import OtherWays

        return OtherWays(self.desk, self.truing)

    @cached_property
    def building(self) -> "Building":
        """Every change to parts and routes; loaded when the first one is made."""
        from yarddial.session.building import Building

        return Building(self.desk)

    def poll(self) -> bool:
        """Take what the engine has to say; call it many times a second. True when there was something.

        The first call opens the log and recalls today's observations from it.
        """
        if not self._polls:
            self.log.open()
            self.truing.recall()
        events = self._engine.poll()
        for event in events:
            self.reception.take(event)
            self.truing.take(event)
            self.watching.take(event)
            self.lo_scan.take(event)
            self.listening.take(event)
            self.following.take(event)
            self.leveling.take(event)
            self.comparing.take(event)
            self.strong.take(event)
            self.ghosting.take(event)
            self.curing.take(event)
            for take in self._takers:
                take(event)
        self.proving.poll()
        self.checking.poll()
        self.band_run.poll()
        self._polls += 1
        if self._polls % GROW_POLLS == 0:
            self.truing.grow()
        if self._polls % RETRY_POLLS == 0:
            self.desk.save_dial()
            if self.log.waiting or self.log.trouble:
                self.log.retry()
        return bool(events)

    def _give_back(self) -> None:
        """What looked elsewhere is done: the receiver looks for the place that is open again."""
        if self.listening.is_open:
            self.listening.resume()
        else:
            self.truing.follow_dial()

    def warm(self) -> None:
        """Get ready for the receiver to be started; call it when there is nothing better to do."""
        if isinstance(self._engine, EngineProcess):
            self._engine.warm()

    def toggle_receiver(self) -> None:
        """Start or stop."""
        if self.reception.wanted:
            self.truing.cancel()
            self.reception.stop()
        elif self.checking.running:
            self.checking.cancel()
        else:
            self.reception.start(self.desk.line)
            self.truing.follow_dial()
            self.listening.resume()

    def replay(self, path: "Path") -> None:
        """Play a recording in the receiver's place; raises BadRecording."""
        self.listening.keeping.replay(path)
        self.reception.start(self.desk.line)
        self.truing.follow_dial()
        self.listening.resume()

    def end_replay(self) -> None:
        """The receiver's own samples again, when it is started."""
        self.listening.keeping.end_replay()

    def step_reference(self, direction: int) -> Reference | None:
        """Dial the next known station up (+1) or down (-1) that some route reaches; None at the end."""
        station = self.desk.station
        able = sorted(
            (r for r in station.references if reaching(station, r.frequency_hz)), key=lambda r: r.frequency_hz
        )
        beyond = [r for r in able if (r.frequency_hz - station.dial_hz) * direction > 0.5]
        if not beyond:
            return None
        found = beyond[0] if direction > 0 else beyond[-1]
        self.desk.dial(found.frequency_hz)
        self.desk.choose_mode(found.mode)
        return found

    def undo(self) -> str:
        """Take the last edit back, and say so in the log when it was a correction."""
        label = self.desk.undo()
        self._note_step(label, "Took back")
        return label

    def redo(self) -> str:
        """Bring the last undone edit back."""
        label = self.desk.redo()
        self._note_step(label, "Brought back")
        return label

    def note(self, text: str) -> None:
        """Put a note in the log."""
        if text.strip():
            line = self.desk.line
            state = {"dial_hz": self.desk.station.dial_hz, "mode": self.desk.station.mode}
            self.log.add(
                Entry(station=self.desk.station.name, kind="note", route=line.name, text=text.strip(), data=state)
            )

    def recover(self) -> None:
        """Take the edits that could not be saved last time; it can be undone like any edit."""
        kept, self.recovered = self.recovered, None
        if kept is not None:
            self.desk.edit("recovered edits", kept)

    def note_card(self, route: str, dial_hz: float, path: str) -> None:
        """Keep in the log that a settings card was handed over, and for what."""
        text = f"Settings card for {format_frequency(dial_hz)} over {route}, saved as {path}"
        data = {"dial_hz": dial_hz, "file": path}
        self.log.add(Entry(station=self.desk.station.name, kind="card", route=route, text=text, data=data))

    def close(self) -> None:
        """Stop the receiver and end the engine; a last try for the log and the dial."""
        if self.log.waiting:
            self.log.retry()
        self.checking.cancel()
        if "live_ways" in vars(self):
            self.live_ways.clear()
        self.desk.finish()
        self._engine.close()

    def _note_step(self, label: str, verb: str) -> None:
        if label in ("correction", "shift for this place"):
            entered = {part.name: _entered(part) for part in self.desk.station.parts if _entered(part) is not None}
            text = f"{verb}: {label}"
            self.log.add(Entry(station=self.desk.station.name, kind="undo", text=text, data={"entered": entered}))


def _entered(part: object) -> float | None:
    value = getattr(part, "entered_ppm", getattr(part, "entered_lo_hz", None))
    return None if value is None else float(value)
