"""The station on the desk: edited live, undone and redone, saved by itself."""

from collections.abc import Callable
from typing import Literal

import msgspec

from yarddial.session.listeners import Listener, Listeners
from yarddial.session.station.saving import Saving
from yarddial.yard import clock
from yarddial.yard.errors import NotWritten
from yarddial.yard.external_noise import Outside
from yarddial.yard.frequency import LIMIT_HZ
from yarddial.yard.reach import best_route, reaching
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference, Station, checked

MAX_UNDONE = 200
# What an edit is: of the entered corrections, or anything else of the yard.
EditKind = Literal["yard", "correction"]


class Edit(msgspec.Struct, frozen=True):
    """An edit that can be taken back: its name, what it is, and the station on its other side."""

    label: str
    kind: EditKind
    station: Station


class Desk:
    """Holds the station. Edits of the yard can be undone; moving the dial is no edit."""

    def __init__(self, station: Station, save: Saving | None = None) -> None:
        self._station = station
        self._save = save
        self._undo: list[Edit] = []
        self._redo: list[Edit] = []
        self._yard_changed = Listeners()
        self._dial_changed = Listeners()
        self._saving_changed = Listeners()
        self._unsaved = False
        # What linked transceivers bring to the middle of their IF, hertz, by name: known while the program runs.
        self._rig_centres_hz: dict[str, float] = {}
        # The active route laid out, and the station and the centres that it was laid out from.
        self._line: tuple[Station, dict[str, float], ResolvedRoute] | None = None
        # Whether a transceiver that follows has come to where the dial stands; and what waits for that.
        self._settled: list[Callable[[], bool]] = []
        self._when_settled: list[Callable[[], None]] = []
        # Why it is not saved where it belongs, as a sentence and as what was raised.
        self.save_trouble = ""
        self.save_failure: NotWritten | None = None

    @property
    def station(self) -> Station:
        """The station as it stands."""
        return self._station

    @property
    def outside(self) -> Outside:
        """Noise environment of the yard now, by local time."""
        return self._station.outside(clock.now().astimezone())

    @property
    def route(self) -> ResolvedRoute:
        """The active route; in a yard without one a line that reaches nothing."""
        known = self._line
        if known is None or known[0] is not self._station or known[1] is not self._rig_centres_hz:
            self._line = known = (self._station, self._rig_centres_hz, self._laid_out())
        return known[2]

    def _laid_out(self) -> ResolvedRoute:
        route = self._station.active_route()
        rig = route.transceiver if self._rig_centres_hz else None
        if rig is None or rig.name not in self._rig_centres_hz:
            return route
        return msgspec.structs.replace(route, rig_centre_hz=self._rig_centres_hz[rig.name])

    @property
    def undo_label(self) -> str:
        """What `undo` would take back; empty when nothing."""
        return self._undo[-1].label if self._undo else ""

    @property
    def redo_label(self) -> str:
        """What `redo` would bring back; empty when nothing."""
        return self._redo[-1].label if self._redo else ""

    def wait_for(self, is_settled: Callable[[], bool]) -> None:
        """Register something that follows the dial with a delay: returns whether it has arrived."""
        self._settled.append(is_settled)

    def is_settled(self) -> bool:
        """True when all that follows the dial stands where the dial stands."""
        return all(is_settled() for is_settled in self._settled)

    def on_yard_changed(self, listener: Listener) -> Callable[[], None]:
        """Parts, routes or corrections changed."""
        return self._yard_changed.add(listener)

    def show_again(self) -> None:
        """Redraw everything after a change of number format."""
        self._yard_changed.tell()

    def on_dial_changed(self, listener: Listener) -> Callable[[], None]:
        """Dial, mode, active route or hold changed."""
        return self._dial_changed.add(listener)

    def on_saving_changed(self, listener: Listener) -> Callable[[], None]:
        """Saving failed, or works again."""
        return self._saving_changed.add(listener)

    def edit(self, label: str, station: Station, kind: EditKind = "yard") -> None:
        """Put an edited station in place; raises BadStation, nothing changed, when it does not hold together."""
        station = checked(station)
        if station == self._station:
            return
        self._undo = [*self._undo[-MAX_UNDONE:], Edit(label, kind, self._station)]
        self._redo = []
        self._put(station)
        self._yard_changed.tell()

    def undo(self) -> Edit | None:
        """Take the last edit back and return it; None when there was none."""
        return self._step(self._undo, self._redo)

    def redo(self) -> Edit | None:
        """Bring the last undone edit back and return it."""
        return self._step(self._redo, self._undo)

    def dial(self, dial_hz: float) -> None:
        """Set the dial; unless the route is held, choose the route that reaches it best."""
        dial_hz = min(max(dial_hz, 0.0), LIMIT_HZ)
        route = self._station.route if self._station.held else best_route(self._station, dial_hz)
        self._set_dial(msgspec.structs.replace(self._station, dial_hz=dial_hz, route=route))

    def follow_rig(self, dial_hz: float, mode: str) -> None:
        """Dial and mode as a transceiver was turned; the route stays while it reaches that, or is held."""
        dial_hz = min(max(dial_hz, 0.0), LIMIT_HZ)
        stays = self._station.held or not self._station.active_route().why_not(dial_hz)
        route = self._station.route if stays else best_route(self._station, dial_hz)
        self._set_dial(msgspec.structs.replace(self._station, dial_hz=dial_hz, mode=mode, route=route))

    def rig_shows(self, name: str, centre_hz: float | None) -> None:
        """What a linked transceiver brings to the middle of its IF; None when none is linked any more."""
        centres_hz = {} if centre_hz is None else {name: centre_hz}
        if centres_hz != self._rig_centres_hz:
            self._rig_centres_hz = centres_hz
            self._dial_changed.tell()

    def when_settled(self, act: Callable[[], None]) -> None:
        """Do it once a transceiver that follows stands where the dial stands: at once where none does."""
        if self.is_settled():
            act()
        else:
            self._when_settled.append(act)

    def settled(self) -> None:
        """The transceiver is there, or is waited for no more."""
        acts, self._when_settled = self._when_settled, []
        for act in acts:
            act()

    def choose_route(self, name: str) -> None:
        """Set the points by hand."""
        self._station.resolve(name)
        self._set_dial(msgspec.structs.replace(self._station, route=name))

    def hold(self, held: bool) -> None:
        """Keep the points where they are, whatever is dialled."""
        self._set_dial(msgspec.structs.replace(self._station, held=held))

    def restorer(self) -> Callable[[], None]:
        """A call that brings dial, route, hold and mode back to what they are now."""
        was = self._station

        def go_back() -> None:
            now = self._station
            route = was.route if any(r.name == was.route for r in now.routes) else now.route
            back = msgspec.structs.replace(now, dial_hz=was.dial_hz, route=route, held=was.held, mode=was.mode)
            self._set_dial(back)

        return go_back

    def step_reference(self, direction: int) -> Reference | None:
        """Dial the next known station up (+1) or down (-1) that some route reaches; None at the end."""
        station = self._station
        able = sorted(
            (r for r in station.references if reaching(station, r.frequency_hz)), key=lambda r: r.frequency_hz
        )
        beyond = [r for r in able if (r.frequency_hz - station.dial_hz) * direction > 0.5]
        if not beyond:
            return None
        following = beyond[0] if direction > 0 else beyond[-1]
        self.dial(following.frequency_hz)
        self.choose_mode(following.mode)
        return following

    def choose_mode(self, key: str) -> None:
        """Choose what the dial is used for."""
        self._set_dial(msgspec.structs.replace(self._station, mode=key))

    def _set_dial(self, station: Station) -> None:
        if station != self._station:
            self._station, self._unsaved = station, True
            self._dial_changed.tell()

    def _step(self, source: list[Edit], target: list[Edit]) -> Edit | None:
        if not source:
            return None
        edit = source.pop()
        station = edit.station
        target.append(msgspec.structs.replace(edit, station=self._station))
        # The dial stays where it is: undo is for the yard.
        now = self._station
        # A route that the step removes or renames leaves the points to the one that the yard then has.
        route = now.route if any(r.name == now.route for r in station.routes) else station.route
        self._put(msgspec.structs.replace(station, dial_hz=now.dial_hz, mode=now.mode, held=now.held, route=route))
        self._yard_changed.tell()
        return edit

    def save_dial(self, *, wait: bool = False) -> None:
        """Save what turning the dial has changed, and what could not be saved before; edits are saved at once.

        wait : also wait for a save that is still under way.
        """
        save = self._save
        if save is not None and (wait or save.is_settled()):
            self._check_regularly(save.settle, settles=True)
        if self._unsaved:
            self._put(self._station)
        elif save is not None:
            save.check()

    def save_anew(self) -> None:
        """Save all of it now: what stood in the way is gone."""
        self._unsaved = True
        self.save_dial()

    def finish(self) -> None:
        """Wait until all of it is saved, or has been tried once more and failed."""
        self.save_dial(wait=True)
        if self._save is not None:
            self._check_regularly(self._save.settle, settles=True)

    def _put(self, station: Station) -> None:
        self._station, self._unsaved = station, False
        save = self._save
        if save is not None:
            self._check_regularly(lambda: save.save(station), settles=save.is_done_at_once)

    def _check_regularly(self, act: Callable[[], None], *, settles: bool) -> None:
        """Save, or find out how saving went; only what settles the matter may end the trouble."""
        before = self.save_trouble
        try:
            act()
        except NotWritten as error:
            self._unsaved = True
            self.save_trouble, self.save_failure = str(error), error
        else:
            if settles and not self._unsaved:
                self.save_trouble, self.save_failure = "", None
        if self.save_trouble != before:
            self._saving_changed.tell()
