"""Touchstone files: the measured response of a two-port, read through scikit-rf."""

import io
import re
import warnings
from pathlib import Path

from yarddial.records.reading import TOUCHSTONE, read_bytes
from yarddial.yard.errors import BadStation
from yarddial.yard.parts import TwoPort, Value
from yarddial.yard.plain_text import count_of, shown

# Thin more points evenly to this number.
KEPT_POINTS = 801


def load_filter(path: Path) -> TwoPort:
    """Read |S21| over frequency as a filter part.

    Raises
    ------
    BadStation
        The file cannot be read as a two-port: one sentence with the reason.
    """
    text, file_name = _text(path), shown(path.name)
    import numpy as np

    # Use the reader for this format only: the package's general one would also unpickle its input.
    from skrf.io.touchstone import Touchstone

    lines = io.StringIO(text)
    # The reader takes the number of ports from the file ending.
    lines.name = "part.s2p"
    try:
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            places_hz, response = Touchstone(lines).get_sparameter_arrays()
            frequencies = np.asarray(places_hz, float)
            through = np.abs(np.asarray(response)[:, 1, 0])
    except Exception as error:
        # The reader fails in its own ways on a broken file; blame the file for any exception.
        reason = shown(" ".join(str(error).split())[:160]) or type(error).__name__
        raise BadStation(f"{file_name} cannot be read as a Touchstone two-port ({reason}): export it again") from error
    order = np.argsort(frequencies, kind="stable")
    frequencies, through = frequencies[order], through[order]
    rising = np.concatenate(([True], np.diff(frequencies) > 0)) if frequencies.size else np.zeros(0, bool)
    good = rising & np.isfinite(frequencies) & np.isfinite(through) & (frequencies > 0) & (frequencies <= 1e13)
    good &= through < 1e6
    if good.sum() < 2:
        raise BadStation(f"{file_name} holds fewer than two usable frequencies: export it again with a sweep")
    places, gain_db = frequencies[good], 20 * np.log10(np.maximum(through[good], 1e-15))
    if places.size > KEPT_POINTS:
        chosen = np.unique(np.linspace(0, places.size - 1, KEPT_POINTS).round().astype(int))
        places, gain_db = places[chosen], gain_db[chosen]
    points = tuple((float(f), round(float(g), 3)) for f, g in zip(places, gain_db, strict=True))
    best = max(g for _, g in points)
    return TwoPort(
        file_name.rsplit(".", 1)[0] or "filter",
        "filter",
        Value(best, 0.1, "measured", note=f"from {file_name}, {count_of(len(points), 'point')}"),
        note=f"measured response from {file_name}",
        response_db=points,
    )


def _text(path: Path) -> str:
    text = read_bytes(path, TOUCHSTONE, BadStation).decode("latin-1")
    name = shown(path.name)
    if text.count("\n") + text.count("\r") > TOUCHSTONE.max_rows:
        raise BadStation(f"{name} has more than {TOUCHSTONE.max_rows:,} lines: export fewer points")
    ports = re.search(r"\[number of ports\]\s*(\S+)", text, re.IGNORECASE)
    if ports is not None and ports.group(1) != "2":
        raise BadStation(f"{name} says it has {shown(ports.group(1)[:20])} ports: a filter has 2")
    return text
