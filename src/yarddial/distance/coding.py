"""Compact coding of levels and samples: pictures in steps of 0.75 dB, channels block by block."""

import zlib

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.errors import BadSamples

# Levels: 256 steps from here up, dB of full scale.
LOWEST_DB, STEP_DB = -180.0, 0.75
BITS = (6, 7, 8, 10, 12)
# Upper limits of a block; a larger one is not unpacked.
MAX_LEVELS, MAX_SAMPLES = 200_000, 100_000


class CodedLevels(msgspec.Struct, frozen=True, array_like=True):
    """Levels of any shape, zlib over bytes."""

    shape: tuple[int, ...]
    data: bytes


class CodedSamples(msgspec.Struct, frozen=True, array_like=True):
    """Complex samples with one scale and a number of bits per half, real and imaginary in turn, highest bit first."""

    scale: float
    bits: int
    count: int
    data: bytes


def code_levels(level_db: NDArray[np.float32]) -> CodedLevels:
    """Round to the nearest step; rows that differ little compress well."""
    steps = np.clip(np.rint((level_db - LOWEST_DB) / STEP_DB), 0, 255).astype(np.uint8)
    flat = np.diff(steps.reshape(-1), prepend=np.uint8(0)).astype(np.uint8)
    return CodedLevels(tuple(level_db.shape), zlib.compress(flat.tobytes(), 6))


def levels_of(coded: CodedLevels) -> NDArray[np.float32]:
    """Decode levels in dB; raises BadSamples for invalid data."""
    count = int(np.prod(coded.shape, dtype=np.int64)) if coded.shape else 0
    if not (0 < count <= MAX_LEVELS and all(0 < side <= MAX_LEVELS for side in coded.shape)):
        raise BadSamples(f"levels in a shape that cannot be: {coded.shape}")
    try:
        unpacker = zlib.decompressobj()
        flat = np.frombuffer(unpacker.decompress(coded.data, count + 1), np.uint8)
    except zlib.error as error:
        raise BadSamples(f"levels that cannot be unpacked: {error}") from error
    if flat.size != count:
        raise BadSamples("levels that do not fill their shape")
    steps = np.cumsum(flat, dtype=np.uint8).reshape(coded.shape)
    return (steps * np.float32(STEP_DB) + np.float32(LOWEST_DB)).astype(np.float32)


def code_samples(samples: NDArray[np.complex64], bits: int) -> CodedSamples:
    """Code with a number of bits per half, scaled to the block's maximum: about 6 dB per bit."""
    halves = samples.view(np.float32)
    scale = float(np.abs(halves).max()) if halves.size else 0.0
    max_step = (1 << (bits - 1)) - 1
    steps = np.rint(halves * (max_step / scale)).astype(np.int32) if scale > 0 else np.zeros(halves.size, np.int32)
    places = np.arange(bits - 1, -1, -1)
    packed = np.packbits(((steps[:, None] >> places) & 1).astype(np.uint8))
    return CodedSamples(scale, bits, int(samples.size), packed.tobytes())


def samples_of(coded: CodedSamples) -> NDArray[np.complex64]:
    """Decode samples; raises BadSamples for invalid data."""
    bits, count = coded.bits, coded.count
    if bits not in BITS or not 0 <= count <= MAX_SAMPLES or not 0 <= coded.scale < 1e6:
        raise BadSamples("a block of samples that cannot be")
    if len(coded.data) != (2 * count * bits + 7) // 8:
        raise BadSamples("a block of samples that is not as long as it says")
    flags = np.unpackbits(np.frombuffer(coded.data, np.uint8))[: 2 * count * bits].reshape(-1, bits)
    weights = 1 << np.arange(bits - 1, -1, -1)
    # The sign bit counts negative.
    weights[0] = -weights[0]
    max_step = (1 << (bits - 1)) - 1
    halves = (flags @ weights).astype(np.float32) * np.float32(coded.scale / max_step)
    return np.ascontiguousarray(halves).view(np.complex64)
