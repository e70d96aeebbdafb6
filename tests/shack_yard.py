"""A session whose receiver hears `truth/shack.py`, and hands that do what the procedure asks."""

import sys
from pathlib import Path

import msgspec
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))

from job_yard import BLOCK, JobYard, PlainDevice
from rig_yard import ScriptedRig
from shack import Shack
from yarddial.drivers.protocol import ActualSettings, Block, Device, RequestedSettings
from yarddial.session.rig.isolation_measurement import IsolationMeasurement, On
from yarddial.yard.demo import VIA_HEARTH
from yarddial.yard.parts import Receiver, Transceiver, Value


def shack(**values: object) -> Shack:
    """A tap of 58 dB and 62 dB through the air, heard with a strong station at 7.2 MHz."""
    usual = Shack(
        through_db=58.0, air_db=62.0, lowest_w=5.0, attenuator_db=40.0, station_hz=7.21e6, station_dbm=-62.0,
        send_hz=7.1e6,
    )  # fmt: skip
    for name, value in values.items():
        setattr(usual, name, value)
    return usual


class ShackDevice(PlainDevice):
    """Hears the shack with the gains set."""

    shack: Shack

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """As asked."""
        got = super().apply(ask)
        self._got, self._chance = got, np.random.default_rng(3)
        return got

    def read(self) -> Block:
        """What is there now."""
        self._index += BLOCK
        gain_db = sum(gain for _, gain in self._got.gains_db)
        samples = self.shack.record(BLOCK, self._got.centre_hz, self._got.rate_hz, gain_db, self._chance)
        return Block(samples, self._index - BLOCK)


class ShackYard(JobYard):
    """Over Hearth's receive-antenna output, whose isolation nobody stated; levels are calibrated to a decibel."""

    def __init__(self, folder: Path, here: Shack, *, calibration_error_db: float = 0.0) -> None:
        self.shack = here
        self.rig: ScriptedRig | None = None
        super().__init__(folder)
        desk = self.session.desk
        desk.choose_route(VIA_HEARTH)
        hearth, receiver = desk.station.part("Hearth"), desk.route.receiver
        assert isinstance(hearth, Transceiver)
        assert isinstance(receiver, Receiver)
        station = desk.station.with_part(msgspec.structs.replace(hearth, isolation_db=None, transmit_w=100.0))
        gain_db = sum(gain for _, gain in receiver.gains_db())
        # dBm at full scale less the gain is what makes dBm of dBFS.
        offset = Value(here.full_scale_dbm - gain_db + calibration_error_db, 1.0, "measured")
        desk.edit("a tap of which nothing is known", station.with_part(receiver.calibrated(desk.route.port, offset)))
        desk.dial(7.2e6)
        self.settle()

    def _open(self, address: str) -> Device:
        made = ShackDevice(address.partition(":")[2].partition("?")[0], self.applied)
        made.shack = self.shack
        self.devices.append(made)
        return made

    def polls(self, count: int) -> None:
        """The transmitter does what its key says."""
        for _ in range(count):
            self.shack.is_keyed = self.rig is not None and bool(self.rig.state.transmitting)
            self.session.poll()

    def until_idle(self) -> None:
        """Until nothing is under way, or the key waits for a hand."""
        for _ in range(400):
            self.polls(1)
            if self.session.isolation._lease is None or self.session.isolation.phase == "ready":
                break
        self.polls(3)

    def record_both(self) -> None:
        """Without the attenuator, and with it."""
        self.session.isolation.record()
        self.until_idle()
        self.shack.is_attenuated = True
        self.session.isolation.record()
        self.until_idle()

    def until_linked(self) -> IsolationMeasurement:
        """Up to the link."""
        measurement = self.session.isolation
        assert measurement.state(self.shack.lowest_w, self.shack.attenuator_db, 10.0) == ""
        self.record_both()
        return measurement

    def link(self) -> ScriptedRig:
        """Linked, in FM, receiving."""
        self.rig = ScriptedRig().join(self.session)
        self.rig.change(mode="FM", transmitting=False, frequency_hz=self.shack.send_hz)
        self.polls(3)
        return self.rig

    def transmit(self, on: On) -> None:
        """SignalRecord again, hold the key until the answer is there."""
        measurement = self.session.isolation
        self.shack.has_antenna = on == "antenna"
        self.polls(30)
        assert measurement.begin(on, is_on=True, lowest_power=True) == "", measurement.why_not_key(
            on, is_on=True, lowest_power=True
        )
        self.until_idle()
        assert measurement.phase == "ready", measurement.trouble
        self.polls(5)
        measurement.press()
        for _ in range(1_500):
            self.polls(1)
            if not measurement.phase:
                break

    def measured(self) -> IsolationMeasurement:
        """The whole procedure."""
        measurement = self.until_linked()
        assert measurement.step == "link", measurement.trouble
        self.link()
        self.transmit("dummy load")
        assert measurement.step == "antenna", measurement.trouble
        self.transmit("antenna")
        assert measurement.step == "done", measurement.trouble
        return measurement
