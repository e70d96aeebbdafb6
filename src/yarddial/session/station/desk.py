"""The station on the desk: live edits with undo and redo, saved automatically."""

from collections.abc import Callable
from typing import Literal

import msgspec

from yarddial.session.listeners import Listener, Listeners
from yarddial.session.station.saving import Saving
from yarddial.yard import clock
from yarddial.yard.errors import NotWritten
from yarddial.yard.external_noise import Outside
from yarddial.yard.frequency import LIMIT_HZ
from yarddial.yard.plugs import Plugged
from yarddial.yard.reach import best_route, reaching
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.segments import segment_at
from yarddial.yard.station import Reference, Station, checked

MAX_UNDONE = 200
# A frequency typed this close to a known station means that station.
SAME_STATION_HZ = 0.5
# Kind of an edit: of entered corrections, or anything else of the yard.
EditKind = Literal["yard", "correction"]


class Edit(msgspec.Struct, frozen=True):
    """An undoable edit: its label, its kind, and the station on its other side."""

    label: str
    kind: EditKind
    station: Station


class Desk:
    """Holds the station. Edits of the yard are undoable; moving the dial is no edit."""

    def __init__(self, station: Station, save: Saving | None = None) -> None:
        self._station = station
        self._save = save
        self._undo: list[Edit] = []
        self._redo: list[Edit] = []
        self._yard_changed = Listeners()
        self._dial_changed = Listeners()
        self._saving_changed = Listeners()
        self._unsaved = False
        # Frequencies at the middle of linked transceivers' IFs, hertz, by name; not saved.
        self._rig_centres_hz: dict[str, float] = {}
        # Cached resolution of the active route, with its inputs.
        self._line: tuple[Station, dict[str, float], ResolvedRoute] | None = None
        # Functions that tell whether a following transceiver has arrived, and callbacks that wait for it.
        self._settled: list[Callable[[], bool]] = []
        self._when_settled: list[Callable[[], None]] = []
        # Why the last save failed, as a sentence and as the error.
        self.save_trouble = ""
        self.save_failure: NotWritten | None = None

    @property
    def station(self) -> Station:
        """The present station."""
        return self._station

    @property
    def outside(self) -> Outside:
        """Noise environment of the yard now, by local time."""
        return self._station.outside(clock.now().astimezone())

    @property
    def route(self) -> ResolvedRoute:
        """The active route, resolved; in a yard without one a route that reaches nothing."""
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
        """Label of the edit that `undo` would take back; empty without one."""
        return self._undo[-1].label if self._undo else ""

    def wait_for(self, is_settled: Callable[[], bool]) -> None:
        """Register something that follows the dial with a delay: returns whether it has arrived."""
        self._settled.append(is_settled)

    def is_settled(self) -> bool:
        """True when everything that follows the dial has arrived."""
        return all(is_settled() for is_settled in self._settled)

    def on_yard_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for changes of parts, routes or corrections."""
        return self._yard_changed.add(listener)

    def show_again(self) -> None:
        """Redraw everything after a change of number format."""
        self._yard_changed.tell()

    def on_dial_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for changes of dial, mode, active route or hold."""
        return self._dial_changed.add(listener)

    def on_saving_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for failures and recoveries of saving."""
        return self._saving_changed.add(listener)

    def edit(self, label: str, station: Station, kind: EditKind = "yard") -> None:
        """Apply an edited station; raises BadStation, nothing changed, when it is inconsistent."""
        station = checked(station)
        if station == self._station:
            return
        self._undo = [*self._undo[-MAX_UNDONE:], Edit(label, kind, self._station)]
        self._redo = []
        self._put(station)
        self._yard_changed.tell()

    def undo(self) -> Edit | None:
        """Undo the last edit and return it; None without one."""
        return self._step(self._undo, self._redo)

    def redo(self) -> Edit | None:
        """Redo the last undone edit and return it."""
        return self._step(self._redo, self._undo)

    def dial(self, dial_hz: float) -> None:
        """Set the dial; unless the route is held, choose the route that reaches it best."""
        dial_hz = min(max(dial_hz, 0.0), LIMIT_HZ)
        route = self._station.route if self._station.held else best_route(self._station, dial_hz)
        self._set_dial(msgspec.structs.replace(self._station, dial_hz=dial_hz, route=route))

    def dial_typed(self, dial_hz: float) -> None:
        """Set the dial as typed; the mode follows a known station there, or another part of the band plan."""
        station, before = self._station, segment_at(self._station.dial_hz, self._station.bands)
        self.dial(dial_hz)
        known = next((r for r in station.references if abs(r.frequency_hz - dial_hz) < SAME_STATION_HZ), None)
        part = segment_at(dial_hz, station.bands)
        if known is not None:
            self.choose_mode(known.mode)
        elif part is not None and part != before:
            self.choose_mode(part.mode)

    def follow_rig(self, dial_hz: float, mode: str) -> None:
        """Follow a transceiver's dial and mode; the route stays while it reaches that, or is held."""
        dial_hz = min(max(dial_hz, 0.0), LIMIT_HZ)
        stays = self._station.held or not self._station.active_route().why_not(dial_hz)
        route = self._station.route if stays else best_route(self._station, dial_hz)
        self._set_dial(msgspec.structs.replace(self._station, dial_hz=dial_hz, mode=mode, route=route))

    def rig_shows(self, name: str, centre_hz: float | None) -> None:
        """Set the frequency at the middle of a linked transceiver's IF; None when it is unlinked."""
        centres_hz = {} if centre_hz is None else {name: centre_hz}
        if centres_hz != self._rig_centres_hz:
            self._rig_centres_hz = centres_hz
            self._dial_changed.tell()

    def when_settled(self, act: Callable[[], None]) -> None:
        """Call `act` once a following transceiver has arrived; at once without one."""
        if self.is_settled():
            act()
        else:
            self._when_settled.append(act)

    def settled(self) -> None:
        """Run the waiting callbacks: the transceiver has arrived, or is given up."""
        acts, self._when_settled = self._when_settled, []
        for act in acts:
            act()

    def choose_route(self, name: str) -> None:
        """Choose the active route by hand."""
        self._station.resolve(name)
        self._set_dial(msgspec.structs.replace(self._station, route=name))

    def set_plugged(self, plugged: tuple[Plugged, ...]) -> None:
        """Set what the shared sockets are joined to, as a hand has left them; no undo moves a plug."""
        self._set_dial(msgspec.structs.replace(self._station, plugged=plugged))

    def hold(self, held: bool) -> None:
        """Keep the active route whatever is dialled."""
        self._set_dial(msgspec.structs.replace(self._station, held=held))

    def restorer(self) -> Callable[[], None]:
        """Return a function that restores the present dial, route, hold and mode."""
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
        """Choose the mode for which the dial is used."""
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
        # The dial and the plugs on the table stay: undo applies to the description of the yard only.
        now = self._station
        # If the active route is removed or renamed by the step, take the route active in that yard.
        route = now.route if any(r.name == now.route for r in station.routes) else station.route
        stays = msgspec.structs.replace(station, dial_hz=now.dial_hz, mode=now.mode, held=now.held, plugged=now.plugged)
        self._put(msgspec.structs.replace(stays, route=route))
        self._yard_changed.tell()
        return edit

    def save_dial(self, *, wait: bool = False) -> None:
        """Save the dial, and retry failed saves; edits are saved at once.

        wait : also wait for a save in progress.
        """
        save = self._save
        if save is not None and (wait or save.is_settled()):
            self._check_regularly(save.settle, settles=True)
        if self._unsaved:
            self._put(self._station)
        elif save is not None:
            save.check()

    def save_anew(self) -> None:
        """Save everything now, after the obstacle is gone."""
        self._unsaved = True
        self.save_dial()

    def finish(self) -> None:
        """Wait until everything is saved, or has failed once more."""
        self.save_dial(wait=True)
        if self._save is not None:
            self._check_regularly(self._save.settle, settles=True)

    def _put(self, station: Station) -> None:
        self._station, self._unsaved = station, False
        save = self._save
        if save is not None:
            self._check_regularly(lambda: save.save(station), settles=save.is_done_at_once)

    def _check_regularly(self, act: Callable[[], None], *, settles: bool) -> None:
        """Save, or check the result of saving; only a successful save clears the trouble."""
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
