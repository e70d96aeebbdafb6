"""An isolator on the way: its loss counts in levels and for ghosts, it passes no current, and it keeps its band."""

from datetime import UTC, datetime

import msgspec
import numpy as np
import pytest

from yarddial.analysis.ghosts.from_yard import scene_of
from yarddial.analysis.levels.level_line import level_line
from yarddial.yard import editing
from yarddial.yard.demo import DIRECT, demo_station
from yarddial.yard.errors import BadStation
from yarddial.yard.parts import Isolator, Value
from yarddial.yard.parts.electrical import can_burn, dc_hazard, passes_dc
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station, checked

LOSS_DB = 0.7


def isolator(**values: object) -> Isolator:
    made = Isolator("One way", Value(-LOSS_DB), 100e6, 500e6, Value(20.0))
    return msgspec.structs.replace(made, **values)


def with_isolator() -> Station:
    """Behind the discone, which goes to Finch directly."""
    return editing.put_in(msgspec.structs.replace(demo_station(), route=DIRECT), isolator(), DIRECT, 1)


def test_its_loss_counts_in_levels_and_in_the_ghost_models_yard() -> None:
    station, bare = with_isolator(), demo_station()
    line, plain = station.resolve(DIRECT).at(145.2e6), bare.resolve(DIRECT).at(145.2e6)
    hertz = np.array([145.2e6, 300e6])
    lost_db = scene_of(plain, ()).gain_db(hertz) - scene_of(line, ()).gain_db(hertz)
    assert lost_db == pytest.approx(LOSS_DB)
    # An octave below its band a plain filter takes 30 dB off.
    below = np.array([50e6])
    assert scene_of(plain, ()).gain_db(below) - scene_of(line, ()).gain_db(below) == pytest.approx(LOSS_DB + 30.0)
    outside = bare.outside(datetime(2026, 12, 1, 12, tzinfo=UTC))
    stage = next(one for one in level_line(line, outside, 2_500.0).chain.stages if one.name == "One way")
    # A passive part at T0 has a noise figure of its loss.
    assert (stage.gain_db, stage.nf_db) == (-LOSS_DB, LOSS_DB)
    hertz = np.array([145.2e6, 300e6])
    lost_db = scene_of(plain, ()).gain_db(hertz) - scene_of(line, ()).gain_db(hertz)
    assert lost_db == pytest.approx(LOSS_DB)
    # An octave below its band a plain filter takes 30 dB off.
    below = np.array([50e6])
    assert scene_of(plain, ()).gain_db(below) - scene_of(line, ()).gain_db(below) == pytest.approx(LOSS_DB + 30.0)
    outside = bare.outside(datetime(2026, 12, 1, 12, tzinfo=UTC))


def test_it_is_in_reach_only_within_its_band_and_passes_no_current() -> None:
    line = with_isolator().resolve(DIRECT)
    assert not line.at(145.2e6).why_not(145.2e6)
    assert "One way" in line.at(96.2e6).why_not(96.2e6)
    assert not passes_dc(isolator())
    assert (dc_hazard(isolator()), can_burn(isolator())) == ("short", True)


def test_one_that_gains_or_isolates_backwards_is_refused() -> None:
    station = with_isolator()
    for values in ({"gain_db": Value(1.0)}, {"isolation_db": Value(-20.0)}):
        with pytest.raises(BadStation, match="isolator"):
            checked(station.with_part(isolator(**values)))


def test_the_shelf_has_one() -> None:
    assert any(isinstance(part, Isolator) for part in shelf())
