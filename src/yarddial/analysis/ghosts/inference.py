"""Inference of an unseen source: which signal on the air would produce a spurious signal by itself."""

from collections.abc import Sequence

import numpy as np

from yarddial.analysis.ghosts.products import products
from yarddial.analysis.ghosts.remedies import SpanScene
from yarddial.analysis.ghosts.scene import Ghost, ReceiverModel
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import lo_weights, path_sense, shown_for_dial
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.strong import Strong

# Uncertainty of a product's frequency in a scan, and its minimum level below its weakest parent.
PLACE_HZ, WEAKER_DB = 5e3, 8.0
WORST_RECEIVER_MODEL = ReceiverModel(iip2_dbm=0.0, iip3_dbm=0.0)


def source_of(ghost: Ghost, setting: SpanScene) -> Strong | None:
    """Return the signal on the air that produces the spurious signal alone; None for products of several and for
    unknown kinds.

    ghost : its place on the dial, its kind, its level at the socket.

    Notes
    -----
    What passes a converter unconverted stands at f + L on the air, where it shows at f. A mirror's twin stands as far
    beyond the centre. What three times the tuner's oscillator mixes in comes from f_h = f_socket + 2 f_c, taken to have
    been converted like everything else.
    """
    scene = setting.scene
    receiver, stages = scene.receiver, scene.stages
    lo_hz = sum(weight * stage.lo_hz for weight, stage in zip(lo_weights(stages), stages, strict=True))
    socket_hz, centre_hz = (shown_for_dial(hertz, stages) for hertz in (ghost.dial_hz, setting.centre_hz))
    if ghost.kind == "leak-through" and stages and scene.isolation_db is not None:
        air_hz, more_db = socket_hz, scene.isolation_db
    elif ghost.kind == "mirror" and receiver.mirror_db is not None:
        air_hz, more_db = 2 * setting.centre_hz - ghost.dial_hz, receiver.mirror_db
    elif ghost.kind == "harmonic mixing" and (times := round(1 - ghost.moves)) in receiver.mixes:
        air_hz = path_sense(stages) * (socket_hz + (times - 1) * centre_hz - lo_hz)
        more_db = receiver.mixes[times]
    elif ghost.kind == "tuner image" and receiver.image_db is not None:
        air_hz = path_sense(stages) * (2 * centre_hz + 2 * receiver.if_hz - socket_hz - lo_hz)
        more_db = receiver.image_db
    else:
        return None
    if air_hz <= 0:
        return None
    return Strong(air_hz, ghost.level_dbm + more_db, f"what stands at {format_frequency(air_hz, 0)}", ghost.width_hz)


def without_products(route: ResolvedRoute, candidates: Sequence[Strong]) -> tuple[Strong, ...]:
    """Remove signals that the receiver probably makes of stronger ones.

    By their place alone: parts' intercepts are too rough to tell. What stands where a product of order 2 or 3 falls,
    and is much weaker than each signal of which that is made, is left out; were it real, it would matter little.
    """
    originals: list[Strong] = []
    for strong_signal in sorted(candidates, key=lambda strong_signal: -strong_signal.level_dbm):
        socket = np.array([_socket_hz(route, other) for other in originals])
        level = np.array([other.level_dbm for other in originals])
        here_hz, half_hz = _socket_hz(route, strong_signal), max(strong_signal.width_hz / 2, PLACE_HZ)
        expected = products(socket, level, WORST_RECEIVER_MODEL, 3, windows=((here_hz - half_hz, here_hz + half_hz),))
        weakest_dbm = np.where(expected.parents >= 0, np.append(level, np.inf)[expected.parents], np.inf).min(axis=1)
        if not np.any(weakest_dbm > strong_signal.level_dbm + WEAKER_DB):
            originals.append(strong_signal)
    return tuple(strong_signal for strong_signal in candidates if strong_signal in originals)


def _socket_hz(route: ResolvedRoute, strong_signal: Strong) -> float:
    return shown_for_dial(strong_signal.frequency_hz, route.at(strong_signal.frequency_hz).stages)
