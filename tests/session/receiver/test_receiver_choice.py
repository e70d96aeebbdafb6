"""What a driver says, taken into the yard; and whose frequency a recording from elsewhere states."""

from pathlib import Path

import msgspec
import numpy as np
import pytest

from waiting import tell_truth, until
from yarddial import wiring
from yarddial.drivers.protocol import Capabilities, GainCapability
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.records.recordings import open_recording, write_sigmf
from yarddial.session.first_yard.answers import BoxAnswers
from yarddial.session.first_yard.building import built, plain_receiver
from yarddial.session.listening.replayed_centre import whose_centre
from yarddial.session.receiver.capabilities_in_yard import with_capabilities
from yarddial.session.receiver.device_addresses import (
    program_device,
    recording_device,
    sound_device,
    stream_device,
)
from yarddial.session.session import Session
from yarddial.yard.demo import VIA_LADDER, demo_station
from yarddial.yard.errors import CentreUnclear, DeviceNotFound, YardDialError
from yarddial.yard.frequency import format_plain, parse_frequency
from yarddial.yard.oscillators import crystal_of
from yarddial.yard.parts import Receiver, Value
from yarddial.yard.station import Station, checked

TOLD = Capabilities(
    "Told", ((1e6, 30e6), (50e6, 900e6)), (250e3, 1e6), ("front", "back"), 12,
    gains=(GainCapability("gain", (-10.0, 0.0, 20.0)), GainCapability("pad", (-20.0, 0.0), "attenuation")),
    bias_ports=("back",), bandwidths_hz=(5e5,),
)  # fmt: skip


def test_all_that_a_driver_knows_comes_in_and_what_was_another_receivers_goes() -> None:
    station = demo_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    measured = msgspec.structs.replace(
        finch, crystal_ppm=finch.crystal_ppm.measured(27.0, 0.01, "", ""), entered_ppm=27.0, lost_shares=((1e6, 0.1),)
    )
    after = with_capabilities(station.with_part(measured), "Finch", TOLD, "told:one", "2026-11-27")
    part = checked(after).part("Finch")
    assert isinstance(part, Receiver)
    assert (part.tuner_low_hz, part.tuner_high_hz, part.holes_hz) == (1e6, 900e6, ((30e6, 50e6),))
    assert (part.rates_hz, part.rate_hz, part.bits) == ((250e3, 1e6), 1e6, 12)
    assert [(p.name, p.bias is not None, p.bias is not None and p.bias.on) for p in part.ports] == [
        ("front", False, False), ("back", True, False),
    ]  # fmt: skip
    assert [(s.name, s.steps_db, s.reads) for s in part.gain_stages] == [
        ("gain", (-10.0, 0.0, 20.0), "gain"), ("pad", (-20.0, 0.0), "attenuation"),
    ]  # fmt: skip
    assert (part.direct, part.entered_ppm, part.crystal_ppm.provenance, part.lost_shares) == (None, 0.0, "assumed", ())
    assert {route.port for route in after.routes if route.parts[-1] == "Finch"} == {"front"}
    # The same receiver once more keeps what was measured on it.
    again = with_capabilities(after.with_part(msgspec.structs.replace(part, entered_ppm=5.0)), "Finch", TOLD,
                              "told:one?option=1", "2026-11-27")  # fmt: skip
    assert again.part("Finch").entered_ppm == 5.0  # type: ignore[union-attr]


def test_each_device_keeps_its_own_corrections_and_measurements(session: Session) -> None:
    """Own truth: the first device is the only one that was measured, and comes back as it went."""
    desk, own = session.desk, session.desk.route.receiver.device
    session.poll()
    tell_truth(session, 10e6)
    until(session, lambda: not session.background.is_busy)
    session.calibration.apply()
    first = desk.route.receiver
    assert first.entered_ppm
    error_hz = session.calibration.state().error_hz

    def choose(device: str) -> Receiver:
        able = wiring.ask_receiver(own)
        told = next(iter(able)).capabilities
        assert told is not None
        desk.edit("choose", with_capabilities(desk.station, first.name, told, device, "2026-11-27"))
        until(session, lambda: not session.background.is_busy)
        return desk.route.receiver

    second = choose("simulated:other")
    assert (second.entered_ppm, second.crystal_ppm.provenance) == (0.0, "assumed")
    # Nothing that was measured on the first says anything about the second.
    assert session.calibration.fit is None
    assert crystal_of(first.name) not in session.calibration.oscillator_estimates.touched()
    desk.edit("enter", desk.station.with_part(msgspec.structs.replace(second, entered_ppm=4.0)))
    back = choose(f"{own}?seed=3")
    assert (back.entered_ppm, back.crystal_ppm, back.lost_shares) == (
        first.entered_ppm, first.crystal_ppm, first.lost_shares,
    )  # fmt: skip
    assert crystal_of(first.name) in session.calibration.oscillator_estimates.touched()
    assert session.calibration.state().error_hz == pytest.approx(error_hz, abs=0.5)
    assert choose("simulated:other").entered_ppm == 4.0
    assert choose("simulated:third").entered_ppm == 0.0
    for _ in range(3):
        session.undo()
    assert desk.route.receiver.entered_ppm == 4.0


def test_a_receiver_tuned_by_hand_stays_where_it_is_and_has_two_oscillators() -> None:
    able = Capabilities(
        "Line in", ((6.954e6, 7.146e6),), (96e3, 192e3), ("",), 16, own_clock=True, fixed_centre_hz=7.05e6
    )
    station = built(Station("Y"), BoxAnswers(receiver=plain_receiver("Box"), antennas=("End-fed wire",)))
    station = checked(with_capabilities(station, "Box", able, "sound:Line in?centre=7.05M", "2026-11-27"))
    line = next(iter(station.resolved_routes()))
    part = line.receiver
    assert part.clock_ppm == Value(0.0, 30.0, "assumed", "2026-11-27", "usual of a sound card")
    assert part.tuned_span_hz == (7.05e6 - 96e3, 7.05e6 + 96e3)
    assert line.parked_hz(line.counted_hz(7.1e6), part.park_hz) == 7.05e6
    narrow = msgspec.structs.replace(part, rate_hz=96e3)
    assert narrow.why_not(7.1e6)
    assert not narrow.why_not(7.09e6)
    assert not part.why_not(7.1e6)


def test_addresses_are_made_without_their_syntax() -> None:
    assert stream_device("tcp", "127.0.0.1:7000", "cu8", "2.048 MS/s", "100 MHz") == (
        "stream:tcp://127.0.0.1:7000?format=cu8&rate=2048000&centre=100000000"
    )
    assert stream_device("pipe", "/tmp/a b", "cf32", "48 kS/s", "7.05M").startswith("stream:pipe:/tmp/a b?format=cf32")
    assert sound_device("Line in", "7.05 MHz", swap=True) == "sound:Line in?centre=7050000&swap=yes"
    assert program_device("/bin/sh -c 'a b'") == "process:/bin/sh -c 'a b'"
    for bad in (
        lambda: stream_device("tcp", "nowhere", "cu8", "1M", "0"),
        lambda: stream_device("pipe", "here", "cu8", "1M", "0"),
        lambda: stream_device("tcp", "a:1", "cu8", "fast", "0"),
        lambda: sound_device("Line in", ""),
        lambda: program_device("sh"),
        lambda: recording_device("/no/such/file.wav"),
    ):
        with pytest.raises(YardDialError):
            bad()


@pytest.mark.parametrize("hertz", [0.0, 7_050_000.5, 10_489e6, 136.0e3, 1e-3])
def test_a_plain_frequency_is_read_as_it_was_written(hertz: float) -> None:
    assert parse_frequency(format_plain(hertz)) == hertz


@pytest.mark.parametrize(
    ("name", "centre_hz", "at_utc"),
    [
        ("evening_20261127_193000Z_7050kHz.wav", 7.05e6, "2026-11-27T19:30:00"),
        ("2026-11-27 14.2 MHz.wav", 14.2e6, "2026-11-27"),
        ("a_96kHz_7050kHz.wav", None, ""),
        ("137100000Hz_2026-11-27T19-30-00.wav", 137.1e6, "2026-11-27T19:30:00"),
        ("plain.wav", None, ""),
        ("12345678kHzx.wav", None, ""),
    ],
)
def test_a_name_tells_centre_and_day_where_it_holds_one_of_each(
    tmp_path: Path, name: str, centre_hz: float | None, at_utc: str
) -> None:
    import soundfile

    soundfile.write(tmp_path / name, np.zeros((1000, 2)), 96_000)
    found = open_recording(tmp_path / name)
    assert found.centre_hz == (centre_hz or 0.0)
    assert found.at_utc == at_utc
    # What is stated beats what a name says.
    assert open_recording(tmp_path / name, centre_hz=1e6).centre_hz == 1e6


def test_the_header_of_a_broadcast_wave_tells_when_it_was_begun(tmp_path: Path) -> None:
    """EBU Tech 3285: 256 bytes of description, 32 of originator, 32 of its reference, then date and time."""
    import struct

    bext = (b"x" * 320 + b"2026-11-27" + b"06:07:08").ljust(602, b"\0")
    fmt = struct.pack("<HHIIHH", 1, 2, 96_000, 384_000, 4, 16)
    body = b"WAVE" + b"bext" + struct.pack("<I", len(bext)) + bext + b"fmt " + struct.pack("<I", 16) + fmt
    body += b"data" + struct.pack("<I", 4000) + bytes(4000)
    (tmp_path / "a_20200101.wav").write_bytes(b"RIFF" + struct.pack("<I", len(body)) + body)
    assert open_recording(tmp_path / "a_20200101.wav").at_utc == "2026-11-27T06:07:08"


def test_a_centre_from_elsewhere_is_asked_about_only_where_it_can_be_either(tmp_path: Path) -> None:
    session = Session(demo_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log"))
    line = session.desk.station.resolve(VIA_LADDER)
    assert whose_centre(line, 14.2e6, "f") == "dial"
    assert whose_centre(line, 134.2e6, "f") == "receiver"
    # A converter and an antenna that take up to 200 MHz: 140 MHz is reached on the dial, and tuned for 20 MHz on it.
    station = session.desk.station
    wire, ladder = station.part("Long wire"), station.part("Ladder")
    wide = station.with_part(msgspec.structs.replace(wire, high_hz=1e9))
    wide = wide.with_part(msgspec.structs.replace(ladder, input_high_hz=200e6))
    with pytest.raises(CentreUnclear, match="say which"):
        whose_centre(wide.resolve(VIA_LADDER).at(10e6), 140e6, "f")
    write_sigmf(tmp_path / "r", [np.zeros(200_000, np.complex64)], 1e6, 14.2e6, {})
    session.desk.dial(10e6)
    session.replay(tmp_path / "r.sigmf-meta")
    assert session.desk.station.dial_hz == 14.2e6
    assert "tuner=134200000&inverted=no" in session.live_receiver.plays
    session.replay(tmp_path / "r.sigmf-meta", "receiver")
    assert "tuner=" not in session.live_receiver.plays
    session.close()


def test_a_recording_that_is_not_there_is_refused() -> None:
    with pytest.raises(DeviceNotFound):
        recording_device("~/nothing/at/all.wav")
