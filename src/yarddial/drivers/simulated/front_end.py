"""Front end of a receiver: compression, I/Q imbalance, centre spike and quantisation."""

from math import radians

import msgspec
import numpy as np
from numpy.typing import NDArray

# A level this far down counts as absent.
NEVER_DB = 150.0
Complex = NDArray[np.complex64]
Half = NDArray[np.float32]
# Pieces that stay in the processor's cache.
PIECE_SAMPLES = 1 << 14


class FrontEnd(msgspec.Struct, frozen=True):
    """Imperfections of a receiver; levels in dBm hold at its reference gain and move with the gain.

    spike : amplitude at the centre, full scale 1.
    iq_gain : ratio of the two branches' gains; iq_phase_deg : their error from a right angle.
    iip3_over_full_db, iip2_over_full_db : intercepts above the level that fills the converter, at the input.
    harmonic_db : how far the tuner's mixing with three times its oscillator is down.
    crystal_dbm : level of the harmonics of its own crystal, at the reference gain.
    even_db, fifth_db : the same for twice and five times its oscillator; four times is 6 dB further down than twice.
    if_hz, image_db : of a tuner with an intermediate frequency, and how far down its image is, at twice that above.
    half_if_over_full_db : second-order intercept of its half-IF response, above the level that fills the converter.
    reference_hz, reference_db : sidebands of its oscillator so far away, and so far down.
    phase_noise_dbc_hz : of its oscillator, 100 kHz away; it falls by 20 dB a decade.
    is_blocked : signals beyond the span take gain away too; false of a tuner whose filter follows it.
    third_over_full_db : intercept of the converter's own third harmonic, above full scale.
    quarter_dbfs : of its spurs a quarter of the rate from the centre.
    """

    bits: int
    spike: complex = 0.0
    iq_gain: float = 1.0
    iq_phase_deg: float = 0.0
    iip3_over_full_db: float = 200.0
    iip2_over_full_db: float = 200.0
    harmonic_db: float = 200.0
    crystal_hz: float = 0.0
    crystal_dbm: float = -300.0
    swapped: bool = False
    even_db: float = 200.0
    fifth_db: float = 200.0
    if_hz: float = 0.0
    image_db: float = 200.0
    half_if_over_full_db: float = 200.0
    reference_hz: float = 0.0
    reference_db: float = 200.0
    phase_noise_dbc_hz: float = -300.0
    is_blocked: bool = False
    third_over_full_db: float = 200.0
    quarter_dbfs: float = -300.0

    @property
    def mixes(self) -> dict[int, float]:
        """Multiples of the oscillator that also mix, and their suppression."""
        down = {2: self.even_db, 3: self.harmonic_db, 4: self.even_db + 6.0, 5: self.fifth_db}
        return {times: db for times, db in down.items() if db < NEVER_DB}

    @property
    def mirror_db(self) -> float:
        """Image rejection from gain ratio and phase error: (1 + 2 g cos + g^2) / (1 - 2 g cos + g^2)."""
        g, cosine = self.iq_gain, np.cos(radians(self.iq_phase_deg))
        wanted, image = 1 + 2 * g * cosine + g * g, 1 - 2 * g * cosine + g * g
        return float(10 * np.log10(wanted / max(image, 1e-30)))

    def pass_through(self, samples: Complex) -> Complex:
        """Apply all imperfections in place and return the samples, in cache-sized pieces."""
        # Process real and imaginary parts separately: four times faster than complex numbers.
        room = np.empty((4, samples.size), np.float32)
        i, q, size, two = room
        i[:], q[:] = samples.real, samples.imag
        self._compress(i, q, size, two)
        self._imbalance(i, q, size)
        if self.spike:
            i += np.float32(complex(self.spike).real)
            q += np.float32(complex(self.spike).imag)
        if self.swapped:
            np.negative(q, out=q)
        if self.third_over_full_db < NEVER_DB:
            self._bend(i, q, size)
        if self.quarter_dbfs > -NEVER_DB:
            # j^n and j^-n: pieces start at multiples of four.
            amplitude = np.float32(2 * 10 ** (self.quarter_dbfs / 20))
            i[0::4] += amplitude
            i[2::4] -= amplitude
        for half in (i, q):
            quantise(half, self.bits)
        samples.real, samples.imag = i, q
        return samples

    def _compress(self, i: Half, q: Half, size: Half, spare: Half) -> None:
        """y = x - k |x|^2 x, limited where the cubic would turn back."""
        cubic = self._cubic()
        if not cubic:
            return
        np.multiply(i, i, out=size)
        np.multiply(q, q, out=spare)
        size += spare
        np.minimum(size, np.float32(1 / (3 * cubic)), out=size)
        size *= np.float32(-cubic)
        size += np.float32(1)
        i *= size
        q *= size

    def _bend(self, i: Half, q: Half, spare: Half) -> None:
        """Each branch's ADC is non-linear, y = x - b x^3 with b / 4 = 1 / A^2: a tone gets a product at -3 f."""
        bend = np.float32(4 * 10 ** (-self.third_over_full_db / 10))
        for half in (i, q):
            np.multiply(half, half, out=spare)
            spare *= half
            spare *= bend
            np.subtract(half, spare, out=half)

    def _cubic(self) -> float:
        """k for an intercept I above full scale: two tones of amplitude a give products k a^3 = a^3 / A_I^2."""
        return 0.0 if self.iip3_over_full_db >= 100 else 10 ** (-self.iip3_over_full_db / 10)

    def _imbalance(self, i: Half, q: Half, spare: Half) -> None:
        """Quadrature branch with gain g and phase error phi: Q' = g (Q cos phi + I sin phi)."""
        if self.iq_gain == 1.0 and self.iq_phase_deg == 0.0:
            return
        angle = radians(self.iq_phase_deg)
        np.multiply(i, np.float32(self.iq_gain * np.sin(angle)), out=spare)
        q *= np.float32(self.iq_gain * np.cos(angle))
        q += spare


def quantise(half: Half, bits: int) -> None:
    """Quantise in place to 2^bits steps with none at zero, clipped at full scale."""
    steps = 2 ** (bits - 1)
    half *= np.float32(steps - 0.5)
    np.floor(half, out=half)
    np.clip(half, np.float32(-steps), np.float32(steps - 1), out=half)
    half += np.float32(0.5)
    half *= np.float32(1 / (steps - 0.5))
