"""The verdicts over all places, for the column at the left."""

from yarddial.session.bands.band_board import BandBoard
from yarddial.session.bands.verdict import bands_verdict
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.verdict import place_verdict
from yarddial.session.first_light.device_check import DeviceCheck
from yarddial.session.first_light.verdict import first_light_verdict
from yarddial.session.levels.levels import Levels
from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.listening.listening import Listening
from yarddial.session.listening.verdict import listen_verdict
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.log.verdict import log_verdict
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.sampling.verdict import span_line
from yarddial.session.spurious.span_test import SpanTest
from yarddial.session.spurious.verdict import ghosts_verdict
from yarddial.session.station.desk import Desk
from yarddial.session.station.inspection import Inspection
from yarddial.session.station.verdict import bench_verdict
from yarddial.session.verdict import Verdict
from yarddial.yard.modes import mode_named


def all_verdicts(
    desk: Desk,
    inspection: Inspection,
    device_check: DeviceCheck,
    calibration: Calibration,
    listening: Listening,
    live_receiver: LiveReceiver,
    levels: Levels,
    span_test: SpanTest,
    board: BandBoard,
    log: LogKeeper,
) -> dict[str, Verdict]:
    """One line for every place, by its name."""
    mode = mode_named(desk.station.mode)
    return {
        "Bench": bench_verdict(desk, inspection.findings(), inspection.coverages()),
        "First light": first_light_verdict(device_check, desk),
        "Span": span_line(desk),
        "True": place_verdict(calibration, mode),
        "Levels": levels_verdict(levels, desk),
        "Ghosts": ghosts_verdict(span_test, desk),
        "Bands": bands_verdict(board.last),
        "Listen": listen_verdict(listening, live_receiver, desk),
        "Log": log_verdict(log),
    }
