"""What many tests need: a place for files, a session without a process, and a way to wait for it."""

import gc
import os
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# As the program itself does: threads of small matrices wait for one another.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from hypothesis import settings

from slow_yards import LOW_RATE_HZ, slow_station, wide_station
from yarddial import wiring
from yarddial.drivers.simulated import air_time
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.records.station_file import load_station
from yarddial.session.session import Session
from yarddial.yard.station import Station

# The same examples each time, so that a red run means a change made it red; YARD_EXPLORE=1 throws the dice anew.
# `./yard proof properties` tries 1,000 of each.
EXAMPLES = int(os.environ.get("YARD_EXAMPLES", "25"))
settings.register_profile("house", deadline=None, max_examples=EXAMPLES, derandomize="YARD_EXPLORE" not in os.environ)
settings.load_profile("house")


# What `./yard test --quick` leaves out: windows, processes, campaigns, and what simulates many seconds of reception.
_SLOW = (
    "tests/ui/", "tests/distance/", "tests/engine/test_hanging", "tests/engine/test_process", "tests/test_house",
    "tests/session/first_light/", "tests/session/listening/test_comparison", "tests/session/bands/test_band_run",
    "tests/session/test_every_job", "tests/drivers/test_program", "tests/drivers/rig/", "tests/drivers/sound",
    "tests/dsp/test_line.py", "tests/analysis/test_blind", "tests/analysis/test_interference",
    "tests/session/spurious/",
    "tests/session/calibration/test_other_methods", "tests/session/calibration/test_carrier_watch",
    "tests/session/levels/test_levels", "tests/session/listening/", "tests/dsp/test_carrier",
    "tests/dsp/test_frequency_modulation", "tests/session/bands/",
)  # fmt: skip


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--quick`, for use while working."""
    parser.addoption("--quick", action="store_true", help="leave out windows and processes")


def pytest_collection_finish(session: pytest.Session) -> None:
    """What was imported and collected stays: the garbage collector need not walk through it after every test."""
    gc.collect()
    gc.freeze()


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out what is slow where that was asked for."""
    if config.getoption("--quick"):
        slow = [item for item in items if item.nodeid.startswith(_SLOW) or item.get_closest_marker("window")]
        config.hook.pytest_deselected(items=slow)
        items[:] = [item for item in items if item not in set(slow)]


@pytest.fixture(autouse=True)
def private_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test sees or leaves anything in the person's own folders."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    air_time.begin_anew()


@pytest.fixture
def yard_station(request: pytest.FixtureRequest) -> Station:
    """The demo yard at a low rate; marked `double_rate`, at twice that; marked `wide`, at the lowest that Finch has."""
    if request.node.get_closest_marker("wide"):
        return wide_station()
    return slow_station(2 * LOW_RATE_HZ) if request.node.get_closest_marker("double_rate") else slow_station()


@pytest.fixture
def session(tmp_path: Path, yard_station: Station) -> Iterator[Session]:
    """The demo yard with its receiver running flat out in this process, at a low rate."""
    made = Session(
        yard_station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log" / "log.sqlite")
    )
    # A second tells as much as a test needs, but for those of how long it takes.
    made.calibration.chosen_s = 1.0
    yield made
    made.close()


@pytest.fixture
def slice_yard() -> Station:
    """The first yard that this program ever saved, of two routes: read from its file of version 1."""
    return load_station(Path(__file__).parent / "records" / "files" / "version-1-slice.yard.json").station


@pytest.fixture
def finish() -> Callable[[Session], None]:
    """Poll a session until nothing is being measured."""

    def run(session: Session) -> None:
        for _ in range(20_000):
            if session.calibration.measuring is None:
                return
            session.poll()
        raise AssertionError("the measurement did not end")

    return run
