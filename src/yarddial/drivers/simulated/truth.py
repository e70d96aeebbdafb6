"""Ground truth of the simulated world, unknown to the program: the true dial error."""

from yarddial.drivers.simulated.world import World
from yarddial.yard.errors import DeviceNotFound
from yarddial.yard.frequency_conversion import SamplingClock, Stage, trace
from yarddial.yard.resolved_route import ResolvedRoute


def true_dial_error_hz(world: World, route: ResolvedRoute, dial_hz: float) -> float:
    """Dial minus true at a frequency, from the world's oscillators and the values entered on the route.

    It is the reference of tests and proofs: nothing measured or fitted enters it.

    Raises
    ------
    DeviceNotFound
        The route ends in a port that this world does not have.
    """
    port = world.port(route.port)
    if port is None:
        raise DeviceNotFound(f"the simulated world has no port called '{route.port}'")
    stages = [
        Stage(true.kind, entered.entered_lo_hz, true.lo_hz + true.lo_error_hz - entered.entered_lo_hz)
        for true, entered in zip(port.stages, route.at(dial_hz).converters, strict=True)
    ]
    return trace(dial_hz, stages, SamplingClock(world.crystal_ppm, route.receiver.entered_ppm)).dial_error_hz
