"""Declaration of Levels."""

from yarddial.records.log_data import LoggedAttenuationTest, LoggedGainSweep
from yarddial.session.activity import Declaration
from yarddial.session.levels.findings import levels_findings
from yarddial.session.levels.levels import ATTENUATION_TEST, GAIN_SWEEP, LEVEL_GLANCE, Levels
from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.receiver.topics import ReceiverTopics


def _make(of: ReceiverTopics) -> Levels:
    return Levels(of.desk, of.live_receiver, of.jobs, of.log)


DECLARATION = Declaration(
    make=_make,
    kinds=(LEVEL_GLANCE, GAIN_SWEEP, ATTENUATION_TEST),
    begin={
        LEVEL_GLANCE.name: Levels.weigh,
        GAIN_SWEEP.name: lambda levels: levels.sweep(levels.stages[0].name),
        ATTENUATION_TEST.name: Levels.test_products,
    },
    is_under_way=lambda levels: levels.fraction is not None or levels.running_purpose is not None,
    on_changed=lambda levels: levels.on_levels_changed,
    findings=lambda levels, of: levels_findings(levels, of.desk),
    verdict=("Levels", lambda levels, of: levels_verdict(levels, of.desk)),
    logs=(LoggedGainSweep, LoggedAttenuationTest),
)
