"""Actions of the section Listen: modes, filter, sound, recordings."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, cast

from yarddial.ui.acting import Acting, WindowAction, nothing
from yarddial.ui.widgets.finder import Findable
from yarddial.yard.demodulation import DEMODULATIONS, Demodulation
from yarddial.yard.dial_sentence import DialWish
from yarddial.yard.frequency import format_frequency
from yarddial.yard.modes import MODES, Mode

if TYPE_CHECKING:
    # Imported with the place.
    from yarddial.ui.places.listen.place import ListenPlace

# One press of "wider" or "narrower" changes the filter by this factor, and of "louder" the volume by so many percent.
WIDTH_FACTOR, VOLUME_STEP = 1.25, 10
_ALSO: dict[Demodulation, str] = {
    "am": "amplitude modulation broadcast mode", "sam": "synchronous amplitude modulation mode",
    "usb": "usb upper sideband ssb single mode", "lsb": "lsb lower sideband ssb single mode",
    "cw": "morse telegraphy mode", "nfm": "nfm frequency modulation channel mode",
    "wfm": "wfm frequency modulation broadcast stereo mode",
}  # fmt: skip


def listen_actions(window: Acting) -> tuple[WindowAction, ...]:
    """List them; each opens Listen where it acts there."""
    session, section = window.session, "Listen"
    listening = session.listening

    def place() -> "ListenPlace":
        return cast("ListenPlace", window.open_place("Listen"))

    def here(act: Callable[["ListenPlace"], object]) -> Callable[[], None]:
        def do() -> None:
            act(place())

        return do

    def running(act: Callable[["ListenPlace"], object]) -> Callable[[], None]:
        """Start the receiver, which the action needs."""

        def do() -> None:
            shown = place()
            if not session.live_receiver.wanted:
                session.toggle_receiver()
            act(shown)

        return do

    def widen(factor: float) -> None:
        window.open_place("Listen")
        low_hz, high_hz = listening.settings.low_hz, listening.settings.high_hz
        # A sideband's edge beside the carrier stays.
        if low_hz * high_hz > 0:
            ends = (low_hz, high_hz * factor) if high_hz > 0 else (low_hz * factor, high_hz)
        else:
            ends = (low_hz * factor, high_hz * factor)
        listening.set_edges(*ends)

    def modes() -> list[Findable]:
        return [
            *(
                Findable(
                    "mode",
                    d.name,
                    partial(listening.obey, DialWish(None, d.mode, d.demodulation)),
                    _ALSO[d.demodulation],
                )
                for d in DEMODULATIONS.values()
            ),
            *(_only_dialled(mode, listening.obey) for mode in MODES if mode.key in ("data", "fsk")),
        ]

    def heard() -> list[Findable]:
        return [
            Findable(
                f"heard with {DEMODULATIONS[h.settings.demodulation].name}", format_frequency(h.dial_hz),
                partial(listening.go_back, number),
            )
            for number, h in enumerate(listening.lately_heard.places)
        ] or [Findable("a position is remembered after five seconds of listening", "nothing was heard yet", nothing)]  # fmt: skip

    def turn(step: int) -> Callable[[], None]:
        return here(lambda shown: shown.sound_row.volume.setValue(shown.sound_row.volume.value() + step))

    return (
        WindowAction(section, "Mode", nothing, "choose the mode",
                     "change modulation demodulation am fm usb lsb cw ssb", choices=modes),
        *(
            WindowAction(section, d.name, partial(listening.obey, DialWish(None, d.mode, d.demodulation)), "",
                         _ALSO[d.demodulation])
            for d in DEMODULATIONS.values()
        ),
        WindowAction(section, "Wider filter", partial(widen, WIDTH_FACTOR), "", "bandwidth width passband channel open"),
        WindowAction(section, "Narrower filter", partial(widen, 1 / WIDTH_FACTOR), "",
                     "bandwidth width narrow passband channel sharp"),
        WindowAction(section, "Louder", turn(VOLUME_STEP), "", "volume up sound increase more"),
        WindowAction(section, "Quieter", turn(-VOLUME_STEP), "", "volume down sound too loud less softer"),
        WindowAction(section, "Mute or hear again", here(lambda shown: shown.sound_row.mute.toggle()), "",
                     "silence sound off speaker turn unmute"),
        WindowAction(section, "Squelch here", running(lambda shown: shown.squelch.click()), "",
                     "silence noise threshold open close"),
        WindowAction(section, "Noise reduction, on or off", here(lambda shown: shown.quieter.click()), "",
                     "hiss denoise cleaner"),
        WindowAction(section, "Even loudness, on or off", here(lambda shown: shown.even.click()), "",
                     "agc automatic gain control fading audio"),
        WindowAction(section, "Take out the centre spike, on or off", here(lambda shown: shown.spike.click()), "",
                     "middle line dc offset hump"),
        WindowAction(section, "Take out mirrors, on or off", here(lambda shown: shown.mirrors.click()), "",
                     "image iq balance imbalance reflection"),
        WindowAction(section, "Exchange I and Q, on or off", here(lambda shown: shown.swap.click()), "",
                     "swap invert reverse inverted mirrored spectrum upside down"),
        WindowAction(section, "Follow the crystal by a station, on or off", here(lambda shown: shown.follow.click()), "",
                     "track drift lock correct automatically afc"),
        WindowAction(section, "Snap to carrier", running(lambda shown: shown.snap.click()), "",
                     "center centre on the signal line strongest tune exactly"),
        WindowAction(section, "Snap to channel", here(lambda shown: shown.raster.click()), "", "raster step grid round"),
        WindowAction(section, "Lately heard", nothing, "",
                     "memory memories favourite favorite remember last frequencies back return history was",
                     choices=heard),
        WindowAction(section, "Record sound", running(lambda shown: shown.kept.toggle_sound()), "",
                     "record audio wav save capture tape recorder stop recording"),
        WindowAction(section, "Record samples", running(lambda shown: shown.kept.toggle_samples()), "",
                     "record iq sigmf save capture raw recorder stop recording baseband"),
        WindowAction(section, "Play a recording", here(lambda shown: shown.kept.toggle_play()), "",
                     "open file replay iq wav sigmf samples sound stop playing"),
        WindowAction(section, "Compare two routes or settings: which hears better",
                     here(lambda shown: shown.compare.click()), "", "antenna a b better versus difference comparison"),
        WindowAction(section, "Compare two recordings: of two receivers or computers", window.fixes.compare_recordings,
                     "", "antenna a b better versus difference file sigmf wav"),
        WindowAction(section, "Peak: a large bar to turn something by hand", here(lambda shown: shown.peak.click()), "",
                     "tuner dish align antenna maximum strongest"),
        WindowAction(section, "Prove what is heard: is this signal real", here(lambda shown: shown.prove.click()), "",
                     "what is this signal identify unknown true fake reception check"),
        WindowAction(section, "State the level at the socket", running(lambda shown: shown.calibrate.click()), "",
                     "calibrate dbm s meter s-meter strength level"),
    )  # fmt: skip


def _only_dialled(mode: Mode, obey: Callable[[DialWish], object]) -> Findable:
    return Findable("mode", mode.name, partial(obey, DialWish(None, mode.key)), "digital rtty teleprinter")
