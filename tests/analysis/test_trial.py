"""What a part that is tried changes, against arithmetic by hand."""

from math import log10

import msgspec
import pytest

from yarddial.analysis.board.trial import hearing, trial, with_part_added, with_part_instead
from yarddial.analysis.levels.level_line import level_line
from yarddial.yard.demo import demo_station
from yarddial.yard.external_noise import Outside
from yarddial.yard.parts import Part, TwoPort
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station, checked


def of_shelf(name: str) -> Part:
    """Part of the shelf."""
    return next(part for part in shelf() if part.name == name)


def noise() -> Outside:
    """The demo yard's surroundings on a summer's noon."""
    from datetime import datetime

    return demo_station().outside(datetime(2026, 7, 1, 12, 0))


def rows(before: Station, after: Station) -> dict[str, str]:
    """Changes by band."""
    return {row.band.name: row.change for row in trial(before, after, noise())}


def test_nothing_changes_where_nothing_was_changed() -> None:
    assert rows(demo_station(), demo_station()) == {}


def test_a_converter_less_loses_its_bands_and_a_dish_gains_its_own() -> None:
    demo = demo_station()
    only = [route for route in demo.routes if "Discone" in route.parts]
    discone = msgspec.structs.replace(demo, routes=tuple(only), route=only[0].name)
    lost = rows(demo, discone)
    assert lost["20 m"] == "lost"
    assert "2 m" not in lost
    assert rows(discone, demo)["20 m"] == "gained"


def test_an_attenuator_on_a_quiet_band_costs_what_the_cascade_says() -> None:
    demo = demo_station()
    route = next(route.name for route in demo.routes if "Discone" in route.parts)
    padded = checked(with_part_added(demo, route, of_shelf("Attenuator 20 dB")))
    band = next(band for band in demo.bands if band.name == "2 m")
    plain, worse = hearing(demo, band, noise()), hearing(padded, band, noise())
    assert plain is not None
    assert worse is not None
    # By hand: the floor over the outside noise is (A + N) / A with A from outside and N of the line itself; a pad of L
    # raises N, counted at the antenna, to N L + (L - 1) in units of k T0, for a line of noise figure N + 1.
    line = level_line(demo.resolve(route).at(band.middle_hz), noise(), 12_500.0)
    outside = 10 ** ((line.fa_db + line.antenna_db) / 10)
    pad = 10**2.0
    own = 10 ** (line.chain.nf_db / 10) * pad - 1
    assert worse.deaf_db == pytest.approx(10 * log10(1 + own / outside), abs=0.1)
    assert rows(demo, padded)["2 m"] == "worse"


def test_a_receiver_in_anothers_place_takes_over_its_routes() -> None:
    demo = demo_station()
    swapped = checked(with_part_instead(demo, "Finch", of_shelf("Wide-band receiver")))
    assert not any("Finch" in route.parts for route in swapped.routes)
    assert {r.port for r in swapped.routes if "Wide-band receiver" in r.parts} <= {"A", "B"}
    assert swapped.part("Finch") == demo.part("Finch")


@pytest.mark.parametrize("part", [p.name for p in shelf() if not isinstance(p, TwoPort)][:12])
def test_any_part_can_be_tried(part: str) -> None:
    demo = demo_station()
    after = checked(with_part_added(demo, demo.route, of_shelf(part)))
    assert after.route == demo.route
    assert len(after.parts) == len(demo.parts) + 1
