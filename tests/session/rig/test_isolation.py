"""The isolation of a tap measured behind an attenuator, in a shack reckoned in milliwatts apart from the program."""

import itertools
from collections.abc import Iterator
from pathlib import Path

import msgspec
import numpy as np
import pytest

from job_yard import JobYard
from rig_yard import ScriptedRig
from shack_yard import ShackYard, shack
from yarddial.analysis.audit.isolation import Isolation, Protection, air_path, judge_fall
from yarddial.yard import clock
from yarddial.yard.parts import Antenna, Transceiver


@pytest.fixture
def clockwork(monkeypatch: pytest.MonkeyPatch) -> None:
    seconds = itertools.count()
    monkeypatch.setattr(clock, "monotonic_s", lambda: next(seconds) * 0.02)


@pytest.fixture
def yard(tmp_path: Path, clockwork: None) -> Iterator[ShackYard]:
    made = ShackYard(tmp_path, shack())
    yield made
    made.session.close()


def test_the_procedure_finds_tap_and_air_and_opens_the_lock_with_knowledge(yard: ShackYard) -> None:
    measurement = yard.measured()
    through, total, air = measurement.through, measurement.total, measurement.air
    assert through is not None
    assert total is not None
    assert air is not None
    assert through.value_db == pytest.approx(yard.shack.through_db, abs=2 * through.sigma_db)
    assert air.value_db == pytest.approx(yard.shack.air_db, abs=2 * air.sigma_db)
    assert yard.shack.worst_dbm < 10.0, "never over what the socket takes"
    assert yard.session.rig.safety.why_closed_here() == "", "the attenuator still protects it"
    assert measurement.enter() == ""
    hearth = yard.session.desk.station.part("Hearth")
    assert isinstance(hearth, Transceiver)
    assert hearth.isolation_db is not None
    assert hearth.isolation_db.provenance == "measured"
    measurement.forget()
    # 100 W less the worst of 58 dB, against the +10 dBm that the socket takes.
    assert yard.session.rig.safety.why_closed_here() == ""


def test_without_knowledge_the_receiver_is_closed_and_opens_behind_the_attenuator_alone(yard: ShackYard) -> None:
    measurement = yard.until_linked()
    assert measurement.step == "link"
    yard.link()
    assert yard.session.rig.safety.why_closed_here() == ""
    measurement.forget()
    assert "not known" in yard.session.rig.safety.why_closed_here()
    assert not yard.session.live_receiver.wanted


@pytest.mark.parametrize(
    ("hand", "words"),
    [
        ({}, "nothing changed"),
        ({"is_plugged": False}, "something else came off"),
        ({"is_attenuated": True, "attenuator_db": 20.0}, "not the attenuator that was stated"),
    ],
)
def test_an_attenuator_that_is_not_there_is_found_out_and_nothing_is_keyed(
    yard: ShackYard, hand: dict[str, object], words: str
) -> None:
    measurement = yard.session.isolation
    assert measurement.state(5.0, 40.0, 10.0) == ""
    measurement.record()
    yard.until_idle()
    for name, value in hand.items():
        setattr(yard.shack, name, value)
    measurement.record()
    yard.until_idle()
    assert words in measurement.trouble
    assert measurement.attenuated is None
    yard.link()
    assert measurement.begin("dummy load", is_on=True, lowest_power=True)
    measurement.press()
    yard.polls(5)
    assert yard.shack.worst_dbm < -150


def test_an_attenuator_taken_out_later_is_found_before_the_key(yard: ShackYard) -> None:
    measurement = yard.until_linked()
    yard.link()
    yard.shack.is_attenuated = False
    assert measurement.begin("dummy load", is_on=True, lowest_power=True) == ""
    yard.until_idle()
    assert "is it still in" in measurement.trouble
    assert measurement.phase == ""
    measurement.press()
    yard.polls(5)
    assert yard.shack.worst_dbm < -150


def test_the_first_look_wants_no_transceiver_linked_and_the_key_a_carrier(yard: ShackYard) -> None:
    measurement = yard.session.isolation
    measurement.state(5.0, 40.0, 10.0)
    rig = yard.link()
    measurement.record()
    assert "let Hearth go" in measurement.trouble
    yard.session.rig.unlink()
    yard.record_both()
    rig = ScriptedRig().join(yard.session)
    rig.change(mode="USB", transmitting=False)
    yard.polls(3)
    assert "no carrier" in measurement.begin("dummy load", is_on=True, lowest_power=True)


def test_what_must_not_be_used_is_refused() -> None:
    # 5 W are +37 dBm; with 2 dB for the power's doubt and 6 dB of margin 35 dB keep it under +10 dBm.
    assert Protection(5.0, 40.0, 10.0, 10.0).why_unsafe() == ""
    assert Protection(5.0, 34.0, 10.0, 10.0).why_unsafe()
    assert "takes 1 W" in Protection(5.0, 40.0, 1.0, 10.0).why_unsafe()
    assert "what was seen" in Protection(5.0, 40.0, 10.0, 10.0).why_unsafe(30.0)
    assert judge_fall(50.0, 39.0, 40.0).seen_db == 39.0
    assert judge_fall(41.0, 40.0, 40.0).why_not


def test_air_is_what_the_outputs_leave_and_drowns_where_they_bring_all() -> None:
    through = Isolation(60.0, 1.5)
    # As powers 1e-6 + 1e-6 = 2e-6, 56.99 dB.
    total = Isolation(-10 * np.log10(2e-6), 1.5)
    air = air_path(through, total)
    assert air is not None
    assert air.value_db == pytest.approx(60.0, abs=1e-9)
    assert air_path(through, Isolation(59.8, 1.5)) is None


def test_a_measured_isolation_counts_less_two_sigma(tmp_path: Path, clockwork: None) -> None:
    yard = JobYard(tmp_path)
    try:
        hearth = yard.session.desk.station.part("Hearth")
        wire = yard.session.desk.station.part("Long wire")
        assert isinstance(hearth, Transceiver)
        assert isinstance(wire, Antenna)
        from yarddial.analysis.audit.power_paths import power_paths

        assert hearth.isolation_db is not None
        measured = hearth.isolation_db.measured(50.0, 2.0, "2026-12-01", "")
        station = yard.session.desk.station.with_part(msgspec.structs.replace(hearth, isolation_db=measured))
        rig = station.part("Hearth")
        assert isinstance(rig, Transceiver)
        own = [path.loss_db for path in power_paths(station, rig) if path.through == "its output"]
        assert own
        assert set(own) == {46.0}
    finally:
        yard.session.close()
