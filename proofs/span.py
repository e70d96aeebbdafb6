"""500 random bands, spurs and receivers: the chosen rate and centre against a search by plain loops."""

import sys
from pathlib import Path

from yarddial.analysis.span.cover import best_covers
from yarddial.yard.errors import BadPath

REQUESTS = 500


def prove() -> bool:
    """Counts those that differ."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "analysis"))
    from test_span import brute, random_request

    wrong = none = 0
    for seed in range(1000, 1000 + REQUESTS):
        request = random_request(seed)
        wanted = brute(request)
        try:
            found = best_covers(request)[0]
        except BadPath:
            none += wanted is None
            wrong += wanted is not None
            continue
        wrong += wanted is None or (found.hits, found.rate_hz, found.centre_hz) != (wanted[0], wanted[2], wanted[4])
    mark = "MISS" if wrong else "ok  "
    print(f"{mark} {REQUESTS} requests, {wrong} differ ({none} fit into no rate, and both say so)")
    return not wrong
