"""Spurious signals to expect in the span: mirrors of strong signals, crystal harmonics, oscillator leaks."""

from yarddial.analysis.ghosts.expected_in_span import Expected, expected_ghosts, standing_lines
from yarddial.engine.events import SpanSpectrum
from yarddial.yard.frequency import format_frequency
from yarddial.yard.resolved_route import ResolvedRoute


def expected_spurious(
    span: SpanSpectrum, route: ResolvedRoute, dial_hz: float, mirrors_db: float | None
) -> tuple[tuple[float, str], ...]:
    """Dial frequencies in hertz of expected spurious signals, each with its name.

    Parameters
    ----------
    span : SpanSpectrum
        The whole span as last received.
    line : Line
        The active route, laid out for the dial.
    dial_hz : float
        Where the dial stands.
    mirrors_db : float, optional
        Measured image rejection; None before it was measured.
    """
    direct = route.receiver.samples_directly(route.port)
    routes, floor_dbfs = standing_lines(span.mean_db, span.centre_hz, span.rate_hz)
    expected = expected_ghosts(
        span.centre_hz,
        span.rate_hz,
        () if direct else routes,
        floor_dbfs,
        mirrors_db,
        route.receiver.crystal_hz,
        [(converter.name, converter.stage()) for converter in route.converters],
    )
    # The spike is shown as the span's centre already.
    return tuple(
        (
            route.dial_of(ghost.counted_hz, dial_hz),
            ghost.name if ghost.made_of_hz is None else _mirror(route, dial_hz, ghost),
        )
        for ghost in expected
        if ghost.counted_hz != span.centre_hz
    )


def _mirror(route: ResolvedRoute, dial_hz: float, ghost: Expected) -> str:
    # A line of the span's spectrum is known to its bin.
    return f"mirror of {format_frequency(route.dial_of(round(ghost.made_of_hz or 0.0, -2), dial_hz), -2)}"
