"""Declaration of First light."""

from typing import Protocol

from yarddial.records.log_data import LoggedDeviceCheck
from yarddial.session.activity import Declaration
from yarddial.session.first_light.device_check import DEVICE_CHECK, BeginRun, DeviceCheck
from yarddial.session.first_light.findings import first_light_findings
from yarddial.session.first_light.verdict import first_light_verdict
from yarddial.session.receiver.topics import ReceiverTopics


class DeviceCheckTopics(ReceiverTopics, Protocol):
    """What First light needs of the session."""

    @property
    def begin_check(self) -> BeginRun | None:
        """Begin a run; None where that is impossible."""
        ...


def _make(of: DeviceCheckTopics) -> DeviceCheck:
    return DeviceCheck(of.desk, of.live_receiver, of.jobs, of.log, of.begin_check)


DECLARATION = Declaration(
    make=_make,
    kinds=(DEVICE_CHECK,),
    begin={DEVICE_CHECK.name: DeviceCheck.start},
    is_under_way=lambda check: check.running,
    poll=DeviceCheck.poll,
    on_changed=lambda check: check.on_device_check_changed,
    findings=lambda check, of: first_light_findings(check, of.desk),
    verdict=("First light", lambda check, of: first_light_verdict(check, of.desk)),
    logs=(LoggedDeviceCheck,),
)
