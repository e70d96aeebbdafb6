"""Verdict on a linked transceiver, in one sentence with its consequence."""

from yarddial.session.rig.rig_control import RigControl
from yarddial.session.verdict import Verdict
from yarddial.yard.frequency import format_bound, format_frequency
from yarddial.yard.plain_text import count_of


def rig_verdict(rig: RigControl) -> Verdict:
    """The worst first: danger, then faults, then pauses, then what it does."""
    name = rig.name
    if rig.status == "off":
        return Verdict("unknown", "No transceiver is linked.", "Link one, and dial and transceiver move as one.", "off")
    if why := rig.safety.why_closed_here():
        consequence = f"{_sentence(why)} Take it off first, or choose another route."
        return Verdict("stop", f"{name} would harm the receiver on this route.", consequence, "receiver off")
    if rig.safety.is_stuck:
        consequence = "Look whether its key is stuck. The receiver stays muted."
        return Verdict("stop", f"{name} has transmitted for minutes without a pause.", consequence, "key stuck?")
    if rig.status == "opening":
        return Verdict("unknown", f"{name} is being linked.", "It takes a moment.", "is being linked")
    if rig.status == "lost":
        consequence = f"{_sentence(rig.trouble)} It is tried again by itself; following waits for it."
        return Verdict("look", f"{name} is not reached.", consequence, "not reached")
    if rig.pauses:
        consequence = f"{_sentence(rig.pauses)} It goes on by itself."
        return Verdict("look", f"Following {name} waits.", consequence, "waits")
    if rig.safety.transmitting:
        return Verdict("look", f"{name} transmits.", rig.safety.guard_sentence, "transmits")
    return _at_work(rig)


def _at_work(rig: RigControl) -> Verdict:
    name, place = rig.name, _place(rig)
    if not rig.safety.is_acknowledged and not rig.is_wanted:
        consequence = "Look at what it brings to the receiver, then follow it."
        return Verdict("look", f"{name} stands on {place}.", consequence, "is linked")
    if rig.is_roaming:
        consequence = "F brings it back to the transceiver."
        return Verdict("good", f"{name} stays on {place}; the receiver is free.", consequence, "stays")
    if not rig.is_wanted:
        return Verdict("good", f"{name} stands on {place}.", "F: dial and transceiver move as one.", "is linked")
    if rig.remark:
        return Verdict("look", f"{name} is followed on {place}.", _sentence(rig.remark), "is followed")
    if rig.safety.transmitting is None:
        consequence = f"{name} does not tell whether it transmits: the receiver cannot be muted for it."
        return Verdict("look", f"{name} is followed on {place}.", consequence, "is followed")
    return Verdict("good", f"{name} is followed on {place}.", _details(rig), "is followed")


def _details(rig: RigControl) -> str:
    split_hz = rig.transmit_place_hz()
    parts = [] if split_hz is None else [f"Split: it would transmit on {format_frequency(split_hz)}."]
    if rig.step_hz > 1:
        parts.append(f"Its display goes in steps of {rig.step_hz:g} Hz; the receiver makes up the rest.")
    if rig.strays:
        parts.append(f"{count_of(rig.strays, 'answer')} came late, twice, garbled or not at all, without harm.")
    return " ".join(parts) or "Turn either: the other goes along. F leaves it where it is."


def _place(rig: RigControl) -> str:
    shown, place_hz = rig.shown, rig.place_hz()
    if shown is None or place_hz is None:
        return "a place that it has not told yet"
    wide = f", {format_bound(shown.passband_hz)} wide" if shown.passband_hz else ""
    return f"{format_frequency(place_hz)} {shown.mode}{wide}".strip()


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}".rstrip(".") + "."
