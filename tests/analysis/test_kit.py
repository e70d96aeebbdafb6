"""What must lie on the table: read from the connectors, needs and kinds of a yard."""

import msgspec

from yarddial.analysis.audit.kit import kit
from yarddial.records.kit_text import kit_html, kit_markdown
from yarddial.yard.demo import demo_station
from yarddial.yard.editing import put_in
from yarddial.yard.parts import Antenna, Receiver, Socket
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station


def section(station: Station, title: str) -> tuple[str, ...]:
    """Lines of a section."""
    return next((s.lines for s in kit(station) if s.title == title), ())


def yard(*names: str) -> Station:
    """Parts of the shelf on one route."""
    station = Station("Y")
    for name in names:
        station = put_in(station, next(part for part in shelf() if part.name == name), station.route)
    return station


def test_joints_name_the_ends_of_the_lead_that_is_needed() -> None:
    # The whip ends in an SMA plug, the stick has an SMA jack; the discone ends in an N plug.
    assert section(yard("Short whip", "TV-stick receiver"), "Leads and adapters") == (
        "Short whip to TV-stick receiver: SMA plug into SMA jack, they mate",
    )
    lines = section(yard("Wide-band discone", "TV-stick receiver"), "Leads and adapters")
    assert lines == (
        "Wide-band discone to TV-stick receiver: a lead or adapter, N jack to SMA plug",
        "To get: 1 x N jack to SMA plug",
    )
    unknown = yard("Short whip", "TV-stick receiver")
    whip = unknown.part("Short whip")
    assert isinstance(whip, Antenna)
    bare = unknown.with_part(msgspec.structs.replace(whip, output=Socket()))
    assert "look at its connectors" in section(bare, "Leads and adapters")[0]


def test_supplies_hands_and_antennas_are_those_of_the_yard() -> None:
    lines = section(yard("Small loop", "Up-converter 125", "TV-stick receiver"), "Supplies")
    assert [line.partition(":")[0] for line in lines] == ["Small loop", "Up-converter 125"]
    assert "through its line" in lines[0]
    assert "nobody said yet" in lines[1]
    demo = demo_station()
    assert any("Patch" in line for line in section(demo, "Plugs that a hand moves"))
    putting_up = " ".join(section(demo, "Putting up the antennas"))
    for kind in {part.kind for part in demo.parts if isinstance(part, Antenna)}:
        assert f"A {kind}:" in putting_up
    assert kit(Station("empty")) == ()
    assert any(isinstance(part, Receiver) for part in demo.parts)


def test_each_line_stands_in_both_files_with_a_box_and_without_its_syntax() -> None:
    demo = demo_station()
    named = msgspec.structs.replace(demo, name="A <b> & c")
    lines = [line for s in kit(named) for line in s.lines]
    assert kit_markdown(named.name, kit(named)).count("- [ ] ") == len(lines)
    html = kit_html(named.name, kit(named))
    assert html.count("☐") == len(lines)
    assert "A &lt;b&gt; &amp; c" in html
