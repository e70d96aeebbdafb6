"""Rules for settings: what may be requested of a receiver, and whether its answer is safe. Pure functions."""

import msgspec

from yarddial.drivers.protocol import ActualSettings, Capabilities, RequestedSettings
from yarddial.engine.tuning import GuardState, Safeguards

# Gains closer than this are the same step, dB.
SAME_GAIN_DB = 0.01


def possible_settings(
    requested: RequestedSettings, able: Capabilities, safeguards: Safeguards
) -> tuple[RequestedSettings, str]:
    """Return the requested settings limited by safeguards and capabilities, and a sentence about what was left out.

    The sentence is empty where nothing was. It does not mention safeguards, which are no lack of the receiver.
    """
    if requested.port not in safeguards.feeds:
        requested = msgspec.structs.replace(requested, bias=False)
    known = {gain.name for gain in able.gains}
    missing = [f"gain stage '{name}'" for name, _ in requested.gains_db if name not in known]
    missing += ["automatic gain"] if requested.automatic_gain and not able.has_automatic_gain else []
    missing += ["choice of bandwidth"] if requested.bandwidth_hz and not able.bandwidths_hz else []
    missing += [f"bias feed on port '{requested.port}'"] if _lacks_feed(requested, able) else []
    gains_db = tuple(gain for gain in requested.gains_db if gain[0] in known)
    automatic = requested.automatic_gain and able.has_automatic_gain
    if safeguards.is_guarded:
        gains_db, automatic = tuple((gain.name, min(gain.steps_db)) for gain in able.gains), False
    possible = msgspec.structs.replace(
        requested,
        # A single socket without a name serves any port name.
        port="" if able.ports == ("",) else requested.port,
        gains_db=gains_db,
        automatic_gain=automatic,
        bandwidth_hz=requested.bandwidth_hz if able.bandwidths_hz else 0.0,
        bias=requested.bias and not _lacks_feed(requested, able),
    )
    if not missing:
        return possible, ""
    return possible, f"{able.name} has no {' and no '.join(missing)}: choose the receiver anew on Bench"


def _lacks_feed(requested: RequestedSettings, able: Capabilities) -> bool:
    return requested.bias and requested.port not in able.bias_ports


def guard_of(actual: ActualSettings, able: Capabilities) -> tuple[GuardState, str]:
    """State of the gain guard of a receiver that was told to lower all gains, with the reason when it failed.

    A source that is not received live cannot be harmed.
    """
    if not able.is_live:
        return "held", ""
    if not able.gains:
        return "no gain", f"{able.name} has no gain that could be lowered"
    if actual.automatic_gain:
        return "failed", f"{able.name} keeps its automatic gain on"
    min_db = {gain.name: min(gain.steps_db) for gain in able.gains}
    for name, gain_db in actual.gains_db:
        if gain_db > min_db.get(name, gain_db) + SAME_GAIN_DB:
            asked = f"{min_db[name]:g} dB was asked"
            return "failed", f"{able.name} keeps gain '{name}' at {gain_db:g} dB, where {asked}"
    return "held", ""
