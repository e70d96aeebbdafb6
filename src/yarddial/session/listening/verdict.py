"""Verdict of Listen: what is received at the dial."""

from yarddial.session.listening.listening import Listening
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital
from yarddial.yard.demodulation import DEMODULATIONS
from yarddial.yard.frequency import format_frequency, format_number

# From this level over the noise on it is a signal.
HEARD_DB = 6.0
# A stronger channel leaves no room below full scale.
LIMIT_DBFS = -1.0


def listen_verdict(listening: Listening, live_receiver: LiveReceiver, desk: Desk) -> Verdict:
    """What is heard, and its level over the noise beside it."""
    where = format_frequency(desk.station.dial_hz)
    demodulation = DEMODULATIONS[listening.settings.demodulation].name
    if why_not := desk.route.why_not(desk.station.dial_hz):
        return Verdict("look", "The dial is out of reach.", f"{capital(why_not)}.", "out of reach")
    if live_receiver.trouble:
        return Verdict("stop", "The receiver does not run.", f"{capital(live_receiver.trouble)}.", "stopped")
    if not live_receiver.wanted:
        return Verdict(
            "unknown", "The receiver is off.", f"Space starts it; then {where} is heard as {demodulation}.", "off"
        )
    if not listening.is_open:
        return Verdict(
            "unknown", f"Nothing is heard yet at {where}.", f"Open it to hear {demodulation}.", "open to hear"
        )
    if owner := listening.waits_for:
        what = "It goes on by itself when that has ended; it can be stopped at the lower left."
        return Verdict("unknown", f"Listen waits: {owner} has the receiver.", what, "waits")
    if listening.is_muted:
        what = f"The transceiver transmits; {where} is heard again when it has ended."
        return Verdict("unknown", "Listening is muted.", what, "muted")
    if listening.level_dbfs is None:
        return Verdict("unknown", f"Listening begins at {where}.", f"As {demodulation}.", "begins")
    over_db = listening.over_floor_db()
    level = f"{format_number(listening.level_dbfs, 1.0)} dBFS in the channel"
    if (known := listening.level()) is not None:
        level = f"{known[0].said(known[1])} at {desk.route.receiver.name}'s socket"
    if listening.level_dbfs > LIMIT_DBFS:
        fix = "lower the gain, or put an attenuator in front: what is heard now is distorted"
        return Verdict("look", f"{where} drives the receiver to its limit.", f"{level}: {fix}.", "too strong")
    if not listening.squelch_open:
        return Verdict("good", f"Quiet at {where}.", f"{level}: the squelch is closed.", "quiet")
    if over_db is None:
        return Verdict("unknown", f"{where}, {demodulation}.", f"{level}.", demodulation)
    if over_db >= HEARD_DB:
        return Verdict(
            "good", f"{where} stands {over_db:.0f} dB over the noise.", f"{demodulation}; {level}.", f"{over_db:.0f} dB"
        )
    return Verdict("look", f"Hardly more than noise at {where}.", f"{demodulation}; {level}.", "noise")
