"""Finch and Heron as devices: samples from the air through converters, tuner, front end and link."""

from math import sqrt

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, GainCapability, RequestedSettings, TimeSource
from yarddial.drivers.simulated.air_time import next_opening, reached
from yarddial.drivers.simulated.front_end import NEVER_DB, PIECE_SAMPLES
from yarddial.drivers.simulated.propagation import Arrival, ahead_of, arrivals
from yarddial.drivers.simulated.rig_cable import RigCable
from yarddial.drivers.simulated.synthesis import NoiseSource, Synthesis, TransmittedLine
from yarddial.drivers.simulated.table import TableFile
from yarddial.drivers.simulated.table_effects import with_table
from yarddial.drivers.simulated.world import Link, World, WorldPort
from yarddial.yard.errors import CannotTune, DeviceLost, DeviceStalled, RefusedValue
from yarddial.yard.frequency import format_frequency

FINCH_STEPS_DB = (
    *(0.0, 0.9, 1.4, 2.7, 3.7, 5.7, 8.0, 9.1, 12.4, 14.2, 15.9, 17.1),
    *(19.4, 21.6, 23.3, 25.5, 28.2, 30.1, 33.4, 36.2, 38.8, 41.9, 44.6, 48.1),
)
FINCH = Capabilities(
    name="Finch",
    ranges_hz=((27e6, 1105e6), (1140e6, 1720e6)),
    rates_hz=(1.024e6, 1.536e6, 2.048e6, 2.4e6, 2.56e6, 3.0e6),
    ports=("discone", "ladder", "direct"),
    bits=8,
    gains=(GainCapability("gain", FINCH_STEPS_DB),),
    has_automatic_gain=True,
    bias_ports=("ladder", "discone"),
    direct=(("direct", 26e6),),
)
HERON = Capabilities(
    name="Heron",
    ranges_hz=((0.01e6, 2000e6),),
    rates_hz=(2e6, 4e6, 6e6, 8e6),
    ports=("A", "B"),
    bits=14,
    gains=(
        GainCapability("input", (-18.0, -12.0, -6.0, 0.0)),
        GainCapability("mixer", (0.0, 10.0, 19.0)),
        GainCapability("IF", (20.0, 26.0, 32.0, 38.0, 44.0, 50.0, 59.0)),
    ),
    bias_ports=("B",),
)
DEFAULT_GAINS = {"Finch": {"gain": 25.5}, "Heron": {"input": 0.0, "mixer": 10.0, "IF": 38.0}}
# Duration made at once: longer is cheaper per sample, shorter shows a new setting sooner.
RUN_S = 0.19
# Number of centres whose arrivals are cached: sweeps and comparisons return to a few of them.
MAX_KNOWN_CENTRES = 8
# Oscillator noise is flat beyond this offset.
FLAT_HZ = 10**1.5 * 1e5
# Throughput of USB 1.1, bytes per second.
SLOW_LINK_BYTES = 1.0e6


# Distance of the seeds of two openings.
OPENING_SEED = 104_729


class SimulatedReceiver:
    """A receiver with known faults in a known world.

    One crystal drives the tuner's oscillator and the sampling: a signal from f_h at the socket appears at f_h / (1 + p)
    in the receiver's own counting. Time is true time: sample n is taken when the receiver's clock has counted n / f_s.
    """

    def __init__(
        self,
        world: World,
        time: TimeSource,
        capabilities: Capabilities = FINCH,
        cable: RigCable | None = None,
        table: TableFile | None = None,
        address: str = "",
    ) -> None:
        """address : under which time goes on from one opening to the next; empty for a receiver of its own."""
        self._plain_world, self._address = world, address
        opening, second = next_opening(address) if address else (0, 0.0)
        self._cable, self._on_cable = cable, None if cable is None else cable.state
        self._table = table
        self.world = world if table is None else with_table(world, table.state)
        self._capabilities = capabilities
        self._time = time
        # Each opening has noise of its own; in real time, so has each start of the program.
        fresh = OPENING_SEED * opening + (int(time.now_s() * 1e3) if address else 0)
        self._noise = NoiseSource(world.seed + 7919 + fresh)
        self._losses = np.random.default_rng(world.seed + 31 + fresh)
        self._port = self.world.ports[0]
        gains = DEFAULT_GAINS.get(capabilities.name, {})
        rate_hz = 2.048e6 if 2.048e6 in capabilities.rates_hz else capabilities.rates_hz[0]
        self._got = ActualSettings(130e6, rate_hz, self._port.name, gains_db=tuple(gains.items()))
        self._synthesis = Synthesis(rate_hz)
        self._arrivals: list[Arrival] | None = None
        # All arrivals by port and centre; gain and rate do not change them.
        self._every_arrival: dict[tuple[str, float], list[Arrival]] = {}
        # Signals beyond the span; and the oscillator's accumulated phase.
        self._arrivals_beyond: list[Arrival] = []
        self._random_walk_rad = 0.0
        self._ahead: list[NDArray[np.complex64]] = []
        self._segment = 0
        self._counted = 0
        self._begun_s = self._opened_s = second
        self._started_s: float | None = None
        self._started_segment = 0

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities of the receiver."""
        return self._capabilities

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Apply centre, rate, port and gains; nothing changes when any of them is refused."""
        able = self._capabilities
        port = self._checked_port(ask)
        ranges_hz = able.ranges_at(port.name)
        if not any(low <= ask.centre_hz <= high for low, high in ranges_hz):
            spans = " and ".join(f"{format_frequency(low)} to {format_frequency(high)}" for low, high in ranges_hz)
            raise CannotTune(
                f"cannot tune to {format_frequency(ask.centre_hz)} with {able.name}: it covers {spans}; choose a route "
                "with a converter or another frequency",
                ask.centre_hz,
            )
        if ask.rate_hz not in able.rates_hz:
            rates = ", ".join(f"{rate / 1e6:g}" for rate in able.rates_hz)
            raise RefusedValue(f"{able.name} has no rate of {ask.rate_hz / 1e6:g} MS/s: choose one of {rates} MS/s")
        if ask.automatic_gain and not able.has_automatic_gain:
            raise RefusedValue(f"{able.name} has no automatic gain: set its stages")
        # The simulated automatic gain keeps the last value: this air has nothing to follow.
        gains = dict(self._got.gains_db) if ask.automatic_gain else self._set_gains(ask)
        restart = ask.rate_hz != self._got.rate_hz
        if restart:
            # A new rate restarts the sample count at the same moment of true time.
            self._begun_s += self._segment * self._synthesis.hop / self._got.rate_hz
            self._synthesis = Synthesis(ask.rate_hz)
            self._segment = self._counted = 0
            self._started_s = None
        self._port = port
        self._arrivals, self._ahead = None, []
        self._got = ActualSettings(
            ask.centre_hz,
            ask.rate_hz,
            port.name,
            restart,
            gains_db=tuple(gains.items()),
            automatic_gain=ask.automatic_gain,
            bias=ask.bias,
        )
        return self._got

    def read(self) -> Block:
        """Wait for the next block; raises DeviceLost or DeviceStalled as the faults require."""
        hop, rate_hz = self._synthesis.hop, self._got.rate_hz
        if self._started_s is None:
            self._started_s, self._started_segment = self._time.now_s(), self._segment
        # A fast crystal samples fast: its seconds are shorter than true ones.
        true_rate_hz = rate_hz * (1 + self.world.crystal_ppm * 1e-6)
        due_s = self._started_s + (self._segment + 1 - self._started_segment) * hop / true_rate_hz
        self._time.sleep_s(due_s - self._time.now_s())
        clock_s = self._begun_s + self._segment * hop / rate_hz
        self._read_surroundings()
        if self._address:
            reached(self._address, clock_s + hop / rate_hz)
        if clock_s - self._opened_s >= self.world.faults.after_s("unplug"):
            raise DeviceLost(f"{self._capabilities.name} was unplugged: plug it in again, then start")
        if clock_s - self._opened_s >= self.world.faults.after_s("stall"):
            self._time.sleep_s(1.0)
            raise DeviceStalled(f"{self._capabilities.name} gives no samples any more: unplug it and plug it in", 1.0)
        samples = self._samples()
        self._segment += 1
        return self._delivered(samples)

    def close(self) -> None:
        """Disconnect the cable to the transceiver."""
        if self._cable is not None:
            self._cable.close()

    def _read_surroundings(self) -> None:
        """When the transceiver was tuned or keyed, or a plug moved, samples made ahead are discarded."""
        now = self._cable.state if self._cable is not None else None
        is_moved = self._table is not None and self._table.is_changed()
        if not is_moved and (now is None or now == self._on_cable):
            return
        self._on_cable = now
        world = self._plain_world if now is None else now.put_on(self._plain_world)
        self.world = world if self._table is None else with_table(world, self._table.state)
        self._port = self.world.port(self._port.name) or self._port
        self._arrivals, self._ahead = None, []
        self._every_arrival.clear()

    @property
    def segments_a_run(self) -> int:
        """Number of blocks made at once."""
        return max(int(RUN_S * self._got.rate_hz / self._synthesis.hop + 0.5), 1)

    def truth(self) -> dict[str, object]:
        """Crystal and oscillator errors in force."""
        return {
            "receiver_ppm": self.world.crystal_ppm,
            "converters": [
                {
                    "name": stage.name,
                    "lo_error_hz": stage.lo_error_hz,
                    "lo_error_ppm": stage.lo_error_hz / stage.lo_hz * 1e6,
                }
                for stage in self._port.stages
            ],
        }

    def _checked_port(self, ask: RequestedSettings) -> WorldPort:
        able, port = self._capabilities, self.world.port(ask.port)
        if port is None:
            raise RefusedValue(
                f"the simulated {able.name} has nothing on a port '{ask.port}': choose a route that ends in "
                f"{', '.join(able.ports)}"
            )
        if ask.bias and port.name not in able.bias_ports:
            raise RefusedValue(f"{able.name} cannot feed current to port '{port.name}': use an injector")
        return port

    def _set_gains(self, ask: RequestedSettings) -> dict[str, float]:
        """Gains in force: the nearest real step for each requested one."""
        gains = dict(self._got.gains_db)
        known = {gain.name: gain.steps_db for gain in self._capabilities.gains}
        for name, wanted_db in ask.gains_db:
            if name not in known:
                able = ", ".join(f"'{gain}'" for gain in known) or "none"
                raise RefusedValue(f"{self._capabilities.name} has no gain stage '{name}': it has {able}")
            gains[name] = min(known[name], key=lambda step: abs(step - wanted_db))
        return gains

    def _full_scale_dbm(self) -> float:
        """Level that fills the ADC at the present gain; a stuck gain stays, and the direct input has none."""
        gain_db = sum(gain for _, gain in self._got.gains_db)
        stuck = self.world.faults.has("stuck_gain") or not self._got.gains_db or self._port.direct_clock_hz
        return self._port.full_scale_dbm - (0.0 if stuck else gain_db - self.world.reference_gain_db)

    def _samples(self) -> NDArray[np.complex64]:
        """Next segment from a run made ahead; a new setting discards the rest of the run."""
        if not self._ahead:
            self._ahead = list(self._run(self.segments_a_run))
        return self._ahead.pop(0)

    def _run(self, count: int) -> NDArray[np.complex64]:
        port, got, synthesis = self._port, self._got, self._synthesis
        if self._arrivals is None:
            # Drop arrivals that never come near the span.
            every = self._all_arrivals()
            self._arrivals = [
                arrival
                for arrival in every
                if synthesis.reaches(abs(arrival.away_hz) / got.rate_hz - 0.02, arrival.needed_hz)
            ]
            self._arrivals_beyond = [
                a for a in every if a.mixes_with == 1 and not a.folded_about_hz and abs(a.away_hz) > 0.5 * got.rate_hz
            ]
        full_dbm = self._full_scale_dbm()
        clock_s = self._begun_s + (self._segment + np.arange(count + 1)) * (synthesis.hop / got.rate_hz)
        lines: list[TransmittedLine] = []
        for arrival in self._arrivals:
            if arrival.made_of_hz and all(abs(hertz) < 0.45 * got.rate_hz for hertz in arrival.made_of_hz):
                # Products of signals inside the span arise from the samples themselves.
                continue
            turns = arrival.turns(clock_s)
            # Distortion comes after the gain: with less gain intercepts are higher, and products fall by their order.
            less_db = max(len(arrival.made_of_hz) - 1, 0) * (full_dbm - port.full_scale_dbm)
            if synthesis.reaches((turns[1] - turns[0]) / synthesis.hop, arrival.needed_hz):
                amplitude = 10 ** ((arrival.level_dbm - less_db - full_dbm) / 20)
                lines.append(
                    TransmittedLine(
                        arrival.make,
                        arrival.needed_hz,
                        turns,
                        arrival.sense,
                        amplitude,
                        arrival.fades,
                        arrival.phase,
                        arrival.wave,
                    )
                )
        out = synthesis.run(lines, clock_s - ahead_of(self.world)(clock_s))
        skirts = self._spoilt(out, full_dbm)
        dead = self.world.faults.has("dead_port") or (self.world.faults.has("bias_off") and bool(port.stages))
        # A port with nothing connected receives only the receiver's own noise.
        noise_dbm_hz = -165.0 if dead else port.floor_dbm_hz(got.centre_hz)
        density = 10 ** ((noise_dbm_hz - full_dbm) / 10)
        front = msgspec.structs.replace(self.world.front, swapped=self.world.faults.has("swapped_iq"))
        if port.direct_clock_hz:
            # A single ADC, split digitally: no spike at the centre, no mirror.
            front = msgspec.structs.replace(front, spike=0.0, iq_gain=1.0, iq_phase_deg=0.0)
        sigma = sqrt((density + skirts) * got.rate_hz / 2)
        for row in range(count):
            for first in range(0, synthesis.hop, PIECE_SAMPLES):
                piece = out[row, first : first + PIECE_SAMPLES]
                self._noise.add_to(piece, sigma)
                front.pass_through(piece)
        return out

    def _all_arrivals(self) -> list[Arrival]:
        """All arrivals at the present port and centre."""
        key = (self._port.name, self._got.centre_hz)
        if key not in self._every_arrival:
            if len(self._every_arrival) >= MAX_KNOWN_CENTRES:
                self._every_arrival.pop(next(iter(self._every_arrival)))
            self._every_arrival[key] = arrivals(self.world, self._port, self._got.centre_hz)
        return self._every_arrival[key]

    def _spoilt(self, out: NDArray[np.complex64], full_dbm: float) -> float:
        """Add blocking by strong signals beyond the span, and oscillator noise; return the noise density that this
        adds.

        Signals within the span distort in the front end. The oscillator's phase, a random walk, affects all of them and
        makes skirts that fall by 20 dB a decade: L(f) = D / f^2 with D = step^2 f_s / (4 pi^2).
        """
        front, got = self.world.front, self._got
        noisy = front.phase_noise_dbc_hz > -NEVER_DB and not self._port.direct_clock_hz
        beyond = [a for a in self._arrivals_beyond if not a.made_of_hz]
        less_db = full_dbm - self._port.full_scale_dbm
        if front.is_blocked and front.iip3_over_full_db < NEVER_DB and beyond:
            intercept_dbm = self._port.full_scale_dbm + front.iip3_over_full_db + less_db
            share = sum(10 ** ((a.level_dbm - intercept_dbm) / 10) for a in beyond)
            out *= np.float32(max(1 - 2 * share, 0.1))
        if not noisy:
            return 0.0
        at_100_khz = 10 ** (front.phase_noise_dbc_hz / 10)
        step = sqrt(4 * np.pi**2 * at_100_khz * 1e10 / got.rate_hz)
        random_walk = np.cumsum(self._losses.standard_normal(out.size) * step) + self._random_walk_rad
        self._random_walk_rad = float(random_walk[-1]) % (2 * np.pi)
        out *= np.exp(1j * random_walk).astype(np.complex64).reshape(out.shape)
        return sum(
            10 ** ((a.level_dbm - full_dbm) / 10) * at_100_khz * 1e10 / min(max(abs(a.away_hz), 1e5), FLAT_HZ) ** 2
            for a in beyond
        )

    def _delivered(self, samples: NDArray[np.complex64]) -> Block:
        """Pass the samples through the link: beyond its clean rate bursts are lost, and usually counted."""
        lost = self._lost(samples.size)
        arrived = samples[lost:]
        if not lost or not self.world.faults.has("silent_loss"):
            block = Block(arrived, self._counted + lost, lost)
            self._counted += samples.size
            return block
        block = Block(arrived, self._counted)
        self._counted += arrived.size
        return block

    def _lost(self, count: int) -> int:
        link: Link = self.world.link
        clean_hz = link.clean_hz
        if self.world.faults.has("slow_link"):
            clean_hz = SLOW_LINK_BYTES / (2 if self._capabilities.bits <= 8 else 4)
        silent = self.world.faults.has("silent_loss")
        if self._got.rate_hz <= clean_hz and not silent:
            return 0
        if self.world.faults.has("slow_link"):
            # Most of it never arrives.
            return int(count * (1 - clean_hz / self._got.rate_hz))
        if self._losses.random() > link.bursts_per_s * count / self._got.rate_hz:
            return 0
        return int(min(np.exp(self._losses.uniform(0, np.log(link.largest_burst))), count - 1))
