"""What is heard while one retunes: no click, any length of block; how late each way is; a carrier 100 Hz off in fades.

The signals come from `truth/`, which owes nothing to our code.
"""

import sys
from pathlib import Path

import msgspec
import numpy as np

from yarddial.dsp.listening.hearing import ContinuousHearing, Hearing
from yarddial.yard.demodulation import DEMODULATIONS, Demodulation
from yarddial.yard.errors import BadSamples

RATE_HZ, RETUNES = 240e3, 300
TONE_HZ, MOST_OVER_DB, MOST_LATE_S = 1_000.0, 3.0, {"cw": 0.12}


def prove() -> bool:
    """Five campaigns; a number behind the name is how many retunes."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))
    retunes = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else RETUNES
    return all([_retuned(retunes), _lengths(), _late(), _synchronous(), _stereo()])


def _stations(chance: np.random.Generator, count: int) -> np.ndarray:
    """Five carriers of one strength with a tone of 60 % each, 40 kHz apart; noise 60 dB under them in a voice."""
    time_s = np.arange(count) / RATE_HZ
    audio = 1 + 0.6 * np.sin(2 * np.pi * TONE_HZ * time_s)
    wave = sum(np.exp(2j * np.pi * place * time_s) for place in (-80e3, -40e3, 0.0, 40e3, 80e3))
    noise = chance.standard_normal((2, count)) * np.sqrt(1e-6 * RATE_HZ / 3_000 / 2)
    return (0.02 * (audio * wave + noise[0] + 1j * noise[1])).astype(np.complex64)


def _retuned(retunes: int) -> bool:
    """Between stations of one strength, ways and block lengths by lot: no sample above the steady peak + 3 dB."""
    chance = np.random.default_rng(5)
    ways: list[Demodulation] = ["am", "sam", "usb", "lsb", "cw", "nfm"]
    stream = _stations(chance, 1 << 20)
    hearing, at = ContinuousHearing(RATE_HZ, 0.0, DEMODULATIONS["am"].settings()), 0
    # Gain control brings every peak to half of full scale.
    limit, over, loudest, samples = 0.5 * 10 ** (MOST_OVER_DB / 20), 0, 0.0, 0
    for number in range(retunes):
        left = int(chance.integers(12_000, 60_000))
        while left > 0:
            block = int(min(left, 10 ** chance.uniform(0, 5)))
            if at + block > stream.size:
                at = 0
            heard = hearing.push(stream[at : at + block])
            at, left = at + block, left - block
            if number and heard.sound.size:
                peak = float(np.abs(heard.sound).max())
                over, loudest, samples = (
                    over + int((np.abs(heard.sound) > limit).sum()),
                    max(loudest, peak),
                    samples + heard.sound.size,
                )
        hearing.change(
            float(chance.choice((-80e3, -40e3, 0.0, 40e3, 80e3))), DEMODULATIONS[str(chance.choice(ways))].settings()
        )  # type: ignore[index]
    good = over == 0
    print(
        f"{'ok  ' if good else 'MISS'} {retunes} retunes and changes of way, blocks of 1 to 100,000: {over} of "
        f"{samples} samples above the steady peak + 3 dB, the loudest {20 * np.log10(loudest / 0.5):+.1f} dB",
        flush=True,
    )
    return good


def _lengths() -> bool:
    """The first second in blocks of every length is as loud as in one."""
    chance, worst = np.random.default_rng(6), 0.0
    stream = _stations(chance, int(1.5 * RATE_HZ))
    for way in ("am", "usb", "nfm"):
        levels = []
        for block in (1_000_000, 100_000, 7_200, 2_400, 333, 50):
            hearing = Hearing(RATE_HZ, 0.0, DEMODULATIONS[way].settings())  # type: ignore[index]
            parts = [hearing.push(stream[i : i + block]).sound for i in range(0, stream.size, block)]
            sound = np.concatenate(parts)
            levels.append(float(np.sqrt(np.mean(sound[int(0.3 * 48_000) : int(1.2 * 48_000)] ** 2))))
        worst = max(worst, 20 * np.log10(max(levels) / min(levels)))
    good = worst < 0.5
    print(f"{'ok  ' if good else 'MISS'} blocks of 50 to a million samples: loudness within {worst:.2f} dB", flush=True)
    return good


def _late() -> bool:
    """A carrier that begins: how much later, by the stream, half of its tone is heard; in blocks of 10 ms."""
    good, told = True, []
    time_s = np.arange(int(1.5 * RATE_HZ)) / RATE_HZ
    begins_s = 0.7004
    for way in ("am", "sam", "usb", "lsb", "cw", "nfm"):
        offset_hz = {"usb": 1_000.0, "lsb": -1_000.0}.get(way, 0.0)
        begun = time_s >= begins_s
        tone = np.sin(2 * np.pi * TONE_HZ * time_s) * begun
        # In AM and FM the carrier is there before its tone is.
        audio = 1 + 0.8 * tone if way in ("am", "sam") else 1.0 if way == "nfm" else begun
        phase = 3 * tone if way == "nfm" else 0.0
        wave = 0.1 * audio * np.exp(1j * (2 * np.pi * offset_hz * time_s + phase))
        settings = msgspec.structs.replace(DEMODULATIONS[way].settings(), gain_control=way not in ("am", "sam", "nfm"))  # type: ignore[index]
        try:
            hearing = Hearing(RATE_HZ, 0.0, settings)
        except BadSamples:
            continue
        block, late_s = int(0.01 * RATE_HZ), float("inf")
        for begin in range(0, wave.size, block):
            sound = hearing.push(wave[begin : begin + block].astype(np.complex64)).sound
            if begin / RATE_HZ > begins_s - 0.01 and sound.size and float(np.abs(sound).max()) > 0.15:
                late_s = (begin + block) / RATE_HZ - begins_s
                break
        told.append(f"{way} {late_s * 1e3:.0f} ms")
        good = good and late_s <= MOST_LATE_S.get(way, 0.15)
    print(f"{'ok  ' if good else 'MISS'} lateness: {', '.join(told)}", flush=True)
    return good


def _synchronous() -> bool:
    """A carrier up to 100 Hz off, steady and through F.1487's moderate channel: the tone over all else, dB."""
    import channels

    good = True
    count = int(4 * RATE_HZ)
    time_s = np.arange(count) / RATE_HZ
    audio = 1 + 0.6 * np.sin(2 * np.pi * TONE_HZ * time_s)
    for name in ("steady", "moderate"):
        for off_hz in (0.0, 20.0, 100.0):
            chance = np.random.default_rng((9, int(off_hz)))
            wave = audio * np.exp(2j * np.pi * off_hz * time_s)
            if name == "moderate":
                wave = channels.two_paths(chance, wave, RATE_HZ, 0.5, 1e-3)
            wave = wave + channels.white(chance, count, 1e-4 * RATE_HZ / 9_000)
            hearing = Hearing(RATE_HZ, 0.0, DEMODULATIONS["sam"].settings())
            parts = [hearing.push((0.05 * part).astype(np.complex64)).sound for part in np.array_split(wave, 200)]
            sound = np.concatenate(parts)[48_000:]
            power = np.abs(np.fft.rfft(sound * np.hanning(sound.size))) ** 2
            hertz = np.fft.rfftfreq(sound.size, 1 / 48_000)
            tone = np.abs(hertz - TONE_HZ) < 8
            beside = (hertz > 300) & (hertz < 3_000) & ~tone
            sinad_db = float(10 * np.log10(power[tone].sum() / power[beside].sum()))
            fine = sinad_db > (30.0 if name == "steady" else 8.0) and float(np.abs(sound).max()) <= 1.0
            good = good and fine
            print(
                f"{'ok  ' if fine else 'MISS'} synchronous, {name}, {off_hz:.0f} Hz off: "
                f"tone {sinad_db:.1f} dB over all else"
            )
    return good


def _stereo() -> bool:
    """One channel's tone against the other's, and what is left of the pilot; made eightfold, its phase summed there."""
    import scipy.signal

    import modulation

    good = True
    for rate_hz in (240e3, 300e3, 1.2e6, 2.4e6):
        ups = max(int(2.4e6 / rate_hz), 1)
        big_hz, clock = rate_hz * ups, 1 + 50e-6
        time_s = np.arange(int(2.2 * big_hz)) / big_hz * clock
        least_db, pilot_db = np.inf, -np.inf
        for tone_hz in (100.0, TONE_HZ, 9_000.0):
            tone = np.sin(2 * np.pi * tone_hz * time_s)
            multiplex = modulation.stereo_multiplex(tone, np.zeros(tone.size), big_hz / clock)
            wave = np.exp(1j * modulation.frequency_modulated(multiplex, big_hz, 75e3))
            wave = scipy.signal.resample_poly(wave, 1, ups, window=("kaiser", 9.0)) if ups > 1 else wave
            settings = msgspec.structs.replace(DEMODULATIONS["wfm"].settings(), gain_control=False, deemphasis_us=0.0)
            hearing = Hearing(rate_hz, 0.0, settings)
            parts = [hearing.push((0.1 * part).astype(np.complex64)).sound for part in np.array_split(wave, 90)]
            sound = np.concatenate(parts)[-50_000:-2_000]
            power = [np.abs(np.fft.rfft(side * np.blackman(48_000))) / (0.21 * 48_000) for side in sound.T]
            at = round(tone_hz)
            left, right = (side[at - 3 : at + 4].max() for side in power)
            least_db = min(least_db, 20 * np.log10(left / right))
            pilot_db = max(pilot_db, *(20 * np.log10(side[18_990:19_011].max()) for side in power))
        fine = least_db >= 40.0 and pilot_db <= -70.0
        good = good and fine
        print(
            f"{'ok  ' if fine else 'MISS'} stereo at {rate_hz / 1e3:g} kS/s, clock 50 ppm off: separation "
            f"{least_db:.1f} dB at least, pilot {pilot_db:.0f} dB under full scale at most"
        )
    return good
