"""Cascade of stages: gain, noise figure, intercept, floor and dynamic range, with the working."""

import re
from collections.abc import Sequence
from math import isfinite, log10

import msgspec

from yarddial.yard.errors import BadLevel
from yarddial.yard.external_noise import KT0_DBM_HZ
from yarddial.yard.frequency import format_bound
from yarddial.yard.plain_text import count_of
from yarddial.yard.working import WorkedValue, Working


class ChainStage(msgspec.Struct, frozen=True):
    """A stage: gain and noise figure in dB, input intercept in dBm or None for one that never overloads."""

    name: str
    gain_db: float
    nf_db: float
    iip3_dbm: float | None = None


class Cascade(msgspec.Struct, frozen=True):
    """Figures of a chain at its input.

    noise_shares : each stage's part of the excess noise factor F - 1; they sum to 1.
    overload_shares : each stage's part of the chain's 1 / IIP3; they sum to 1 where there is an intercept.
    """

    stages: tuple[ChainStage, ...]
    bandwidth_hz: float
    gain_db: float
    nf_db: float
    iip3_dbm: float | None
    noise_shares: tuple[float, ...]
    overload_shares: tuple[float, ...]

    @property
    def floor_dbm(self) -> float:
        """Noise in the bandwidth, referred to the input, with a source at T0: -173.98 + NF + 10 log10 B."""
        return KT0_DBM_HZ + self.nf_db + 10 * log10(self.bandwidth_hz)

    @property
    def sfdr_db(self) -> float | None:
        """Spurious-free dynamic range: from the floor to where third-order products reach it, 2/3 (IIP3 - floor)."""
        return None if self.iip3_dbm is None else 2 / 3 * (self.iip3_dbm - self.floor_dbm)

    def working(self) -> Working:
        """Formula, values and source of the result."""
        values = [
            WorkedValue(
                f"stage {number}",
                stage.name,
                f"G {stage.gain_db:+g} dB, NF {stage.nf_db:g} dB"
                + ("" if stage.iip3_dbm is None else f", IIP3 {stage.iip3_dbm:+g} dBm"),
                f"{100 * noise:.0f} % of the noise added"
                + (f", {100 * overload:.0f} % of the overload" if self.iip3_dbm is not None else ""),
            )
            for number, (stage, noise, overload) in enumerate(
                zip(self.stages, self.noise_shares, self.overload_shares, strict=True), 1
            )
        ]
        result = f"NF {self.nf_db:.2f} dB, gain {self.gain_db:+.2f} dB, floor {self.floor_dbm:.1f} dBm"
        if self.iip3_dbm is not None:
            result += f", IIP3 {self.iip3_dbm:+.1f} dBm, free of products over {self.sfdr_db:.1f} dB"
        return Working(
            title=f"{count_of(len(self.stages), 'stage')}, in {format_bound(self.bandwidth_hz)}",
            formulas=(
                "F = F1 + (F2 − 1) / G1 + (F3 − 1) / (G1 G2) + ...",
                "1 / IIP3 = sum of (gain before stage i) / IIP3_i, in milliwatts",
                "floor = −173.98 dBm + NF + 10 log10 (B / Hz)",
                "SFDR = 2/3 (IIP3 − floor)",
            ),
            values=tuple(values),
            result=result,
            source="Friis, Proc. IRE 32 (1944) 419-422",
        )


def cascade(stages: Sequence[ChainStage], bandwidth_hz: float) -> Cascade:
    """Calculate the figures of a chain, antenna first.

    Raises
    ------
    BadLevel
        There is no stage, or a value is impossible.
    """
    if not stages:
        raise BadLevel("a chain needs at least one stage: write --stage NAME:gain=dB,nf=dB")
    if not (isfinite(bandwidth_hz) and bandwidth_hz > 0):
        raise BadLevel(f"a bandwidth of {bandwidth_hz:g} Hz makes no floor: give one above 0")
    for stage in stages:
        _check(stage)
    before, noise, overload = 1.0, [], []
    for stage in stages:
        noise.append((10 ** (stage.nf_db / 10) - 1) / before)
        overload.append(0.0 if stage.iip3_dbm is None else before / 10 ** (stage.iip3_dbm / 10))
        before *= 10 ** (stage.gain_db / 10)
    added, loaded = sum(noise), sum(overload)
    return Cascade(
        tuple(stages),
        bandwidth_hz,
        sum(stage.gain_db for stage in stages),
        10 * log10(1 + added),
        -10 * log10(loaded) if loaded > 0 else None,
        tuple(part / added if added else 0.0 for part in noise),
        tuple(part / loaded if loaded else 0.0 for part in overload),
    )


def _check(stage: ChainStage) -> None:
    numbers = (stage.gain_db, stage.nf_db, 0.0 if stage.iip3_dbm is None else stage.iip3_dbm)
    if not all(isfinite(number) and abs(number) <= 300 for number in numbers):
        raise BadLevel(f"stage {stage.name} has a value beyond 300 dB: check its numbers")
    if stage.nf_db < 0:
        raise BadLevel(f"stage {stage.name} has a noise figure of {stage.nf_db:g} dB: none is below 0")


def parse_chain_stage(text: str) -> ChainStage:
    """Read `NAME:gain=20,nf=1.5,iip3=-10`, units dB and dBm allowed; raise BadLevel for anything else."""
    name, colon, rest = text.partition(":")
    if not colon or not name.strip():
        raise BadLevel(f"'{text}' is no stage: write NAME:gain=20,nf=1.5,iip3=-10")
    figures: dict[str, float] = {}
    for piece in rest.split(","):
        match = re.fullmatch(
            r"\s*(gain|nf|iip3)\s*=\s*([+\-−]?\d+(?:\.\d+)?(?:e[+-]?\d+)?)\s*(?:dBm?)?\s*", piece, re.I
        )
        if match is None:
            raise BadLevel(f"'{piece.strip()}' in stage '{name}' is none of gain=dB, nf=dB, iip3=dBm")
        key = match[1].lower()
        if key in figures:
            raise BadLevel(f"stage '{name}' gives {key} twice")
        figures[key] = float(match[2].replace("−", "-"))
    missing = [key for key in ("gain", "nf") if key not in figures]
    if missing:
        raise BadLevel(f"stage '{name}' lacks {' and '.join(missing)}: write {name}:gain=20,nf=1.5")
    stage = ChainStage(name.strip(), figures["gain"], figures["nf"], figures.get("iip3"))
    _check(stage)
    return stage
