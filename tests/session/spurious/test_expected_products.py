"""Ghosts to expect before anything was tested: from the yard and the strong signals known."""

import pytest

from yarddial.session.session import Session
from yarddial.yard.strong import Strong

TOWER = Strong(124.3525e6, -28.0, "Harbour tower", 9e3, "Long wire")


def test_what_is_known_to_be_strong_is_expected_where_it_leaks_and_forgotten_elsewhere(session: Session) -> None:
    session.poll()
    own = session.expected_products
    session.strong.keep([TOWER])
    session.desk.dial(4.3e6)
    request = own.needed()
    assert request is not None
    own.take(request, request.work_out())
    (leak,) = [ghost for ghost in own.ghosts if ghost.kind == "leak-through"]
    # The converter's sheet promises 45 dB of isolation.
    assert leak.dial_hz == pytest.approx(TOWER.frequency_hz - 120e6, abs=5e3)
    assert leak.level_dbm == pytest.approx(-28.0 - 45.0, abs=0.1)
    assert own.needed() is None
    session.desk.dial(145.2e6)
    fresh = own.needed()
    assert fresh is not None
    assert own.ghosts == ()
    # A late answer to what was asked before is dropped.
    own.take(request, (leak,))
    assert own.ghosts == ()
    # The discone has nothing of the tower.
    assert not [g for g in fresh.work_out() if g.sources == ("Harbour tower",)]
