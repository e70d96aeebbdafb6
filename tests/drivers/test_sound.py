"""Receivers on the sound card, against a stand-in for PortAudio; the real one is tried by `./yard proof sound_card`."""

import sys

import numpy as np
import pytest

import sound_cards
from yarddial.drivers.contract import broken_promises
from yarddial.drivers.protocol import Device, RequestedSettings
from yarddial.drivers.sound import receiver
from yarddial.drivers.sound.address import SoundAddress, address_text, parse_address
from yarddial.drivers.sound.driver import SoundDriver
from yarddial.drivers.sound.silence import MIN_SILENT_SAMPLES, SilenceFilter
from yarddial.drivers.time_source import RealTime
from yarddial.dsp.channel_skew import measured_skew, shifted
from yarddial.yard.errors import (
    CannotTune,
    DeviceBusy,
    DeviceLost,
    DeviceNotFound,
    DeviceStalled,
    RefusedValue,
    YardDialError,
)

ASK = RequestedSettings(7.05e6, 96e3)


def opened(monkeypatch: pytest.MonkeyPatch, query: str = "centre=7.05M&skew=0", **faults: float) -> Device:
    monkeypatch.setitem(sys.modules, "sounddevice", sound_cards.installed(**faults))
    return SoundDriver().open(f"Line in?{query}", RealTime())


def test_inputs_with_two_sides_are_found_and_the_contract_holds(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", sound_cards.installed())
    assert [found.address for found in SoundDriver().discover()] == ["Line in", "Line in #2"]
    assert list(broken_promises(SoundDriver(), "Line in?centre=7.05M", RealTime())) == []


def test_what_is_missing_is_said_with_its_line(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", None)

    class NoLibrary:
        def find_spec(self, name: str, path: object, target: object = None) -> None:
            if name == "sounddevice":
                raise OSError("PortAudio library not found")

    monkeypatch.delitem(sys.modules, "sounddevice")
    monkeypatch.setattr(sys, "meta_path", [NoLibrary(), *sys.meta_path])
    (found,) = SoundDriver().discover()
    assert (found.state, found.cure) == ("missing", "sudo apt-get install libportaudio2")
    with pytest.raises(DeviceNotFound, match="not installed"):
        SoundDriver().open("Line in?centre=7M", RealTime())


def test_the_tone_stands_where_the_card_counts_it_and_its_losses_are_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    """10 kHz above the centre, steady in phase when each lost frame is counted."""
    device = opened(monkeypatch, skip=37)
    got = device.apply(ASK)
    assert (got.centre_hz, got.rate_hz, device.capabilities.own_clock) == (7.05e6, 96e3, True)
    parts, places, lost = [], [], 0
    for _ in range(12):
        block = device.read()
        parts.append(block.samples)
        places.append(np.arange(block.first_index, block.first_index + block.samples.size))
        lost += block.lost
    device.close()
    samples, places = np.concatenate(parts), np.concatenate(places)
    assert lost > 37
    assert lost % 37 == 0
    straight = samples * np.exp(-2j * np.pi * (10e3 / 96e3 * places % 1.0))
    assert abs(straight.mean()) == pytest.approx(sound_cards.LEVEL, rel=1e-3)


def test_exchanged_sides_are_put_right(monkeypatch: pytest.MonkeyPatch) -> None:
    device = opened(monkeypatch, "centre=7.05M&swap=yes&skew=0")
    device.apply(ASK)
    samples = np.concatenate([device.read().samples for _ in range(4)])
    device.close()
    spectrum = np.abs(np.fft.fft(samples[:9600]))
    # What the stand-in has 10 kHz above stands 10 kHz below.
    assert int(spectrum.argmax()) == 8600


@pytest.mark.parametrize(
    ("faults", "error", "words"),
    [
        ({"busy": 1}, DeviceBusy, "does not start at 96 kS/s"),
        ({"silent": 1}, DeviceStalled, "nothing but silence"),
        ({"gone": 4}, DeviceLost, "look at its plug"),
    ],
)
def test_what_goes_wrong_is_one_sentence(
    monkeypatch: pytest.MonkeyPatch, faults: dict, error: type[YardDialError], words: str
) -> None:
    monkeypatch.setattr(receiver, "STALL_S", 0.5)
    device = opened(monkeypatch, **faults)

    def listen() -> None:
        device.apply(ASK)
        for _ in range(40):
            device.read()

    with pytest.raises(error, match=words) as raised:
        listen()
    assert "\n" not in str(raised.value)
    device.close()


def test_what_no_card_can_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    device = opened(monkeypatch)
    with pytest.raises(CannotTune, match=r"6\.954 MHz|7\.002"):
        device.apply(RequestedSettings(7.2e6, 96e3))
    with pytest.raises(RefusedValue, match=r"48, 96, 192 kS/s"):
        device.apply(RequestedSettings(7.05e6, 44.1e3))
    with pytest.raises(DeviceNotFound, match="no sound input 'Loft'"):
        SoundDriver().open("Loft?centre=7M", RealTime())
    for text in ("Line in", "Line in?centre=x", "Line in?centre=7M&swap=perhaps", "Line in?centre=7M&rate=48000"):
        with pytest.raises(DeviceNotFound, match=r"write it as"):
            parse_address(text)


@pytest.mark.parametrize("name", ["Line in", "Träger & Co. (hw:0,0)?", "a#b=c%20d"])
def test_an_address_is_read_as_it_was_written(name: str) -> None:
    asked = SoundAddress(name, 7_050_000.5, True, -1)
    assert parse_address(address_text(asked)) == asked


def test_silence_is_cut_out_and_counted_over_the_seams_of_blocks() -> None:
    rng = np.random.default_rng(5)
    stream = (rng.standard_normal(20_000) + 1j).astype(np.complex64)
    gaps = ((3_000, 3_000 + MIN_SILENT_SAMPLES), (8_000, 13_500), (19_990, 20_000))
    for first, last in gaps:
        stream[first:last] = 0
    # Too short for a silence: a receiver's sample may be zero.
    stream[100:103] = 0
    seen = SilenceFilter()
    stretches = [one for first in range(0, stream.size, 700) for one in seen.push(stream[first : first + 700])]
    assert sum(one.silent_before for one in stretches) == MIN_SILENT_SAMPLES + 5_500
    kept = np.concatenate([one.samples for one in stretches])
    expected = np.concatenate([stream[:3_000], stream[3_000 + MIN_SILENT_SAMPLES : 8_000], stream[13_500:19_990]])
    np.testing.assert_array_equal(kept, expected)


@pytest.mark.parametrize("late", [-1, 0, 1])
def test_a_side_that_is_late_is_told_and_put_right(late: int) -> None:
    """Three stations and noise, one side 8 % louder and 4 degrees off; Q is `late` samples behind I."""
    rng = np.random.default_rng(late + 7)
    n = np.arange(1 << 16)
    scene = 1e-3 * (rng.standard_normal(n.size) + 1j * rng.standard_normal(n.size))
    for turns, level in ((0.21, 0.2), (-0.08, 0.05), (0.37, 0.02)):
        scene = scene + level * np.exp(2j * np.pi * (turns * n % 1.0))
    i, q = scene.real, 1.08 * (scene.imag + 0.07 * scene.real)
    received = (i[1:-1] + 1j * np.roll(q, late)[1:-1]).astype(np.complex64)
    assert measured_skew(received) == late
    spectrum = np.abs(np.fft.fft(shifted(received, late)[:60_000] * np.hanning(60_000)))
    own, mirror = spectrum[12_600], spectrum[60_000 - 12_600]
    assert 20 * np.log10(own / mirror) > 24


def test_noise_alone_tells_no_side() -> None:
    rng = np.random.default_rng(1)
    assert (
        measured_skew((rng.standard_normal(1 << 16) + 1j * rng.standard_normal(1 << 16)).astype(np.complex64)) is None
    )
