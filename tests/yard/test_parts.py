"""Parts beyond the plain converter: LNB, transceiver, two-ports, the direct input; and what routes over them reach."""

from math import log10

import msgspec
import pytest

from all_parts_yard import BEHIND_HEARTH, HEARTH, HERON, LNB, SATELLITE, WHIP_FILTER, station
from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency_conversion import trace
from yarddial.yard.oscillators import dial_state, known_oscillators
from yarddial.yard.parts import (
    Converter,
    DirectSampling,
    Lnb,
    Receiver,
    Value,
    converters_of,
    with_converter,
)
from yarddial.yard.parts.usual import nf_of
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Route, checked


@pytest.mark.parametrize(("dial_hz", "port_hz"), [(10.95e9, 1.2e9), (12.0e9, 1.4e9)])
def test_an_lnb_takes_the_band_that_the_dial_asks_for(dial_hz: float, port_hz: float) -> None:
    line = station().resolve(SATELLITE).at(dial_hz)
    assert trace(dial_hz, line.stages).port_hz == port_hz
    assert [route_point.out_hz for route_point in line.points()] == [dial_hz, port_hz, port_hz]
    assert line.converters[0].name == ("Saucer low" if dial_hz < 11.7e9 else "Saucer high")


@pytest.mark.parametrize(("sense", "kind", "lo_hz"), [(1, "low", 5.36e6), (-1, "high", 23.02e6)])
def test_behind_an_if_output_the_receiver_stays_at_the_if(sense: int, kind: str, lo_hz: float) -> None:
    """dial = f_rig + s (f_shown - f_IF): at 14.19 MHz the oscillator is f_rig -+ 8.83 MHz."""
    rig = msgspec.structs.replace(HEARTH, sense=sense)
    line = station().with_part(rig).resolve(BEHIND_HEARTH).at(14.19e6)
    (stage,) = line.stages
    assert (stage.kind, stage.lo_hz) == (kind, lo_hz)
    assert trace(14.19e6, line.stages).port_hz == 8.83e6
    # A signal 1 kHz above where the rig stands: above the IF when upright, below it when inverted.
    assert trace(14.191e6, line.stages).port_hz == 8.83e6 + sense * 1e3


@pytest.mark.parametrize(("dial_hz", "lo_hz"), [(7.1e6, 15.93e6), (28.5e6, 37.33e6)])
def test_a_transceivers_oscillator_errs_by_its_own_frequencys_share(dial_hz: float, lo_hz: float) -> None:
    """0.5 ppm of the oscillator in use, f_rig + 8.83 MHz: 8 Hz at 7.1 MHz."""
    rig = msgspec.structs.replace(HEARTH, rig_ppm=Value(0.0, 0.5, "stated"))
    converter = rig.converter_at(dial_hz)
    assert converter is not None
    assert converter.lo_hz.value == lo_hz
    assert converter.lo_hz.sigma == pytest.approx(0.5e-6 * lo_hz)


def test_below_its_if_a_transceiver_adds() -> None:
    line = station().with_part(msgspec.structs.replace(HEARTH, sense=1)).resolve(BEHIND_HEARTH).at(3.5e6)
    assert line.stages[0].kind == "sum"
    assert trace(3.5e6, line.stages).port_hz == 8.83e6


def test_a_two_port_bounds_but_moves_nothing() -> None:
    station_, beyond = station(), msgspec.structs.replace(WHIP_FILTER, high_hz=20e6)
    assert station_.resolve(BEHIND_HEARTH).why_not(25e6) == ""
    assert "Low-pass 32 takes" in station_.with_part(beyond).resolve(BEHIND_HEARTH).why_not(25e6)


@pytest.mark.parametrize(
    ("in_hz", "zone", "folded_hz"), [(7e6, 0, 7e6), (18e6, 1, 10.8e6), (30e6, 2, 1.2e6), (14.4e6, 1, 14.4e6)]
)
def test_direct_sampling_folds_by_zones(in_hz: float, zone: int, folded_hz: float) -> None:
    """Even zones f mod C, odd ones C - f mod C, C = 28.8 MHz."""
    direct = HERON.direct
    assert direct is not None
    assert direct.zone(in_hz) == zone
    # Half the clock is 14.4 MHz: there both zones show what stands on either side in one place.
    assert direct.at_border(in_hz) == (in_hz == 14.4e6)
    assert not direct.at_border(14.4e6 + 10e3)
    assert direct.folded_hz(in_hz) == pytest.approx(folded_hz)


def test_every_oscillator_is_counted_from_its_nominal_and_reaches_the_dial() -> None:
    known = known_oscillators(station())
    assert {"lo:Ladder", "lo:Saucer low", "lo:Saucer high", "rig:Hearth IF", "crystal:Heron"} <= set(known.names)
    state = dial_state(station().resolve(SATELLITE), 10.95e9, known)
    # 30 kHz of the LNB and 0.5 ppm of 1.2 GHz, in quadrature; the crystal stated slow by 0.6 ppm shows signals high.
    assert state.sigma_hz == pytest.approx((30e3**2 + 600.0**2) ** 0.5, rel=1e-6)
    assert state.error_hz == pytest.approx(0.6e-6 * 1.2e9, rel=1e-5)


def test_a_measured_oscillator_goes_back_into_the_part_that_brought_it() -> None:
    low, high = converters_of(LNB)
    true = msgspec.structs.replace(high, lo_hz=high.lo_hz.measured(10.600_012e9, 5.0, "2026-11-25", "fit"))
    changed = with_converter(LNB, true)
    assert isinstance(changed, Lnb)
    assert changed.bands[0] == LNB.bands[0]
    assert changed.bands[1].lo_hz.value == 10.600_012e9
    assert converters_of(changed)[0] == low
    assert with_converter(HEARTH, converters_of(HEARTH)[0]) == HEARTH
    assert isinstance(with_converter(low, low), Converter)


def test_all_kinds_of_parts_survive_a_station_file(tmp_path) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "all.yard.json"
    StationFile(path, station()).save(station())
    first = path.read_bytes()
    file = load_station(path)
    assert file.station == station()
    file.save(file.station)
    assert path.read_bytes() == first


def test_a_receiver_in_the_middle_and_an_lnb_without_bands_are_refused() -> None:
    broken = msgspec.structs.replace(station(), routes=(Route("x", ("Long wire", "Finch", "Heron")),), route="x")
    with pytest.raises(BadStation, match="in its middle"):
        checked(broken)
    with pytest.raises(BadStation, match="at least one band"):
        checked(station().with_part(Lnb("Saucer", ())))


def test_a_bare_adc_of_eight_bits_is_deaf() -> None:
    """4 dBm of full scale, 7.4 effective bits over 14.4 MHz: 4 - 46.3 - 71.6 + 174 = 60 dB of noise figure."""
    stick = next(part for part in shelf() if isinstance(part, Receiver) and part.bits == 8 and part.direct is not None)
    stick = msgspec.structs.replace(stick, nf_db=None, effective_bits=None)
    assert stick.direct is not None
    figure = nf_of(stick, stick.direct.port)
    assert figure is not None
    assert 50 < figure.value < 62
    sampler = msgspec.structs.replace(
        stick, bits=16, effective_bits=Value(12.5), direct=DirectSampling("antenna", 122.88e6)
    )
    wide_figure = nf_of(sampler, "antenna")
    assert wide_figure is not None
    # 5.1 bits more, and 122.88 over 28.8 MHz of clock.
    assert figure.value - wide_figure.value == pytest.approx(6.02 * 5.1 + 10 * log10(122.88 / 28.8), abs=0.01)
