"""Declaration of the calibration activity."""

from yarddial.records.log_data import LoggedCorrection, LoggedObservation, LoggedObservations
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import MEASUREMENT, Calibration
from yarddial.session.calibration.findings import dial_findings
from yarddial.session.calibration.verdict import place_verdict
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.yard.modes import mode_named


def _make(of: ReceiverTopics) -> Calibration:
    return Calibration(of.desk, of.live_receiver, of.jobs, of.log, of.background)


DECLARATION = Declaration(
    make=_make,
    kinds=(MEASUREMENT,),
    begin={MEASUREMENT.name: Calibration.measure},
    is_under_way=lambda calibration: calibration.measuring is not None,
    on_changed=lambda calibration: calibration.on_calibration_changed,
    findings=lambda calibration, of: dial_findings(calibration, of.desk),
    verdict=("True", lambda calibration, of: place_verdict(calibration, mode_named(of.desk.station.mode))),
    logs=(LoggedObservation, LoggedObservations, LoggedCorrection),
)
