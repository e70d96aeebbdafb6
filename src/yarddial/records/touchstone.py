"""Touchstone files: the measured response of a two-port, read through scikit-rf."""

import io
import re
import warnings
from pathlib import Path

from yarddial.records.whole_file import reason
from yarddial.yard.errors import BadStation
from yarddial.yard.parts import TwoPort, Value

# Nobody measures more points than this in earnest; a larger file would only be slow.
MOST_BYTES = 8 << 20
MOST_POINTS = 20_001
# More points than a picture can show are thinned out evenly.
KEPT_POINTS = 801


def load_filter(path: Path) -> TwoPort:
    """Read |S21| over frequency as a filter part.

    Raises
    ------
    BadStation
        The file cannot be read as a two-port: one sentence with the reason.
    """
    text = _text(path)
    import numpy as np

    # The reader of this format alone: the package's general one would also unpickle what it is given.
    from skrf.io.touchstone import Touchstone

    lines = io.StringIO(text)
    # The reader looks at the name's ending to count the ports.
    lines.name = "part.s2p"
    try:
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            places_hz, response = Touchstone(lines).get_sparameter_arrays()
            frequencies = np.asarray(places_hz, float)
            through = np.abs(np.asarray(response)[:, 1, 0])
    except Exception as error:
        # The reader is not ours and fails in its own ways on a broken file: whatever it says is the file's fault.
        said = " ".join(str(error).split())[:160] or type(error).__name__
        raise BadStation(f"{path.name} cannot be read as a Touchstone two-port ({said}): export it again") from error
    order = np.argsort(frequencies, kind="stable")
    frequencies, through = frequencies[order], through[order]
    rising = np.concatenate(([True], np.diff(frequencies) > 0)) if frequencies.size else np.zeros(0, bool)
    good = rising & np.isfinite(frequencies) & np.isfinite(through) & (frequencies > 0) & (frequencies <= 1e13)
    good &= through < 1e6
    if good.sum() < 2:
        raise BadStation(f"{path.name} holds fewer than two usable frequencies: export it again with a sweep")
    places, gain_db = frequencies[good], 20 * np.log10(np.maximum(through[good], 1e-15))
    if places.size > KEPT_POINTS:
        chosen = np.unique(np.linspace(0, places.size - 1, KEPT_POINTS).round().astype(int))
        places, gain_db = places[chosen], gain_db[chosen]
    points = tuple((float(f), round(float(g), 3)) for f, g in zip(places, gain_db, strict=True))
    best = max(g for _, g in points)
    return TwoPort(
        path.name.rsplit(".", 1)[0] or "filter",
        "filter",
        Value(best, 0.1, "measured", note=f"from {path.name}, {len(points)} points"),
        note=f"measured response from {path.name}",
        response_db=points,
    )


def _text(path: Path) -> str:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise BadStation(f"{path.name} is larger than any Touchstone file worth reading: export fewer points")
        text = path.read_bytes().decode("latin-1")
    except OSError as error:
        raise BadStation(f"cannot read {path}: {reason(error)}") from error
    if text.count("\n") + text.count("\r") > MOST_POINTS:
        raise BadStation(f"{path.name} has more than {MOST_POINTS} lines: export fewer points")
    ports = re.search(r"\[number of ports\]\s*(\S+)", text, re.IGNORECASE)
    if ports is not None and ports.group(1) != "2":
        raise BadStation(f"{path.name} says it has {ports.group(1)[:20]} ports: a filter has 2")
    return text
