"""The long campaigns behind the claims. `./yard proof` lists them, `./yard proof NAME` runs one, `all` runs all."""

import importlib
import sys

PROOFS = {
    "carrier": "the estimator against the Cramer-Rao bound, 16 to 60 dB, 48 kS/s and 2.4 MS/s (about half an hour)",
    "properties": "every property of the tests on 1,000 examples instead of 25, with dice thrown anew (15 minutes)",
    "path": "path arithmetic against 50 decimal digits, 10,000 random chains",
    "yards": "2,000 random yards: files, arithmetic both ways, coverage against a brute-force scan",
    "hostile_files": "100,000 mutated files of all kinds that are read, and special files in their place (15 minutes)",
    "two_writers": "windows, an editor and a script on one station file, 1,000 interleavings with kills: no edit lost",
    "kills": "500 kills in mid-save and mid-log by five signals; power cut at every point of the writes",
    "disk_trouble": "full, read-only, vanished, forbidden, clock set back: said once, nothing lost, goes on by itself",
    "evening_walk": "random evenings in the window: no contradiction, no lost correction, no endless mark",
    "closing": "a disk full, read-only or gone at each moment of an evening, then closed or killed: nothing lost",
    "engine_hang": "an engine that hangs, is stopped or killed, 200 tries beside a window (25 minutes)",
    "log_size": "logs of 1,000, 50,000 and 1,000,000 entries: what a person waits for, as ratios (five minutes)",
    "soak": "eight simulated hours of random actions, edits, faults and restarts (half an hour)",
    "hearing": "retuning without a click, any block length, lateness, synchronous AM in fades; so many retunes as told",
    "narrow_fm": "the middle of narrow FM whose transmitter leans or clips one side, voices by other people's programs",
    "doubts": "sixty kinds of signal made without our code: stated sigma against the truth, so many runs as told",
    "sentences": "every sentence that the program can say, on one page, filled with extremes (build/sentences.md)",
    "hands": "200 yards with one socket and a hand that obeys, forgets or moves the wrong plug; so many as told",
    "rig_follow": "dial and transceiver moved from both sides, 10,000 moves with delays and losses (seven minutes)",
    "rig_places": "200 random transceivers over IF and antenna output: the dial in each mode, and the picture",
    "rig_faults": "every fault of a transceiver's link, a daemon killed, a line pulled: said, waited for, gone on",
    "rig_safety": "40 yards by hand in watts; 5,000 transmissions keyed at random beside a receiver in use",
    "rig_keying": "the dead man's handle: 20,000 sequences in virtual time, the guard's process, hostile tables",
    "isolation": "the isolation measured in 200 shacks in milliwatts, a fifth with hands that err (three minutes)",
    "edge_table": "56 rules of the bench with four yards each: found, not found, just under its edge, just over",
    "exposure": "how far people keep from 188 antennas, 1.8 MHz to 24 GHz, against fields summed by elements",
    "transmit_paths": "5,000 random yards with one to three transmitters against a walk in watts over every path",
    "distance_link": "an engine at a distance over bad links: equal bit for bit; bandwidth, gaps, lateness (8 minutes)",
    "distance_load": "what serving costs the far computer at 2.4 MS/s, with one core and with a throttled one",
    "distance_kills": "either program killed 100 times in every kind of work: jobs ended once, nothing left, log whole",
    "distance_breaks": "1,000 breaks of a link and 100 programs that vanish: all done once, heard once, ended once",
    "distance_attack": "strangers at a serving computer's door: wrong codes, broken frames, half-open links",
    "looks": "every main view at five sizes, by day and by night: no text cut, shortened or overlapped (two minutes)",
    "edit_kill": "kill -9 while editing, 200 times: the last or the one-before-last edit is there",
    "driver_faults": "unplug, hang and kill of the driver while streaming, 50 times each: window alive, log intact",
    "losses": "100 gaps of 1 to 10,000 samples found and counted by phase; ten minutes without a false one",
    "span": "500 random bands: the chosen rate and centre against a search by plain loops",
    "balance": "blind I/Q balance from 33 dB on 60 random scenes, and clean signals left alone (five minutes)",
    "demodulators": "SINAD against closed forms, what stands beside the channel, tones",
    "tones": "the dial's error by a tone in three WAV files that sox made, with hum and noise",
    "forecast": "200 crystals of each kind carried six months forward: inside one and two sigma",
    "fit": "1,000 random yards: pulls, bad references, what cannot be separated",
    "clocks": "receivers with two oscillators: 1,000 fits, what can be told apart and what cannot",
    "kernel_interface": "the kernel's interface for receivers against the C compiler, and 3,000 retunes with losses",
    "real_kernel": "Debian's own kernel in an emulated machine, its virtual receiver: every step (six minutes)",
    "sound_card": "a real sound server: both oscillators from what is played into it, pauses, ten minutes (20 minutes)",
    "walk": "200 random yards walked to the end: all routes serve, against the fewest measurements by search",
    "next_measurement": "the proposed next measurement against brute force, 300 random yards",
    "silent": "nothing silently wrong: what is too short, doubled, saturated, misled, set back or far too much is said",
    "ghost_orders": "products of three signals to order 5 against brute force, and all zones of direct sampling",
    "levels": "noise and levels from 10 kHz to 12 GHz against a second reckoning in watts",
    "cards": "the settings card typed into models of listening programs: every convention on every kind of route",
    "safety": "66 yards by hand for eleven rules; where feeds run on 2,000 random yards, against wires joined",
    "which_lo": "which oscillator: 500 boxes of all classes, by a station and by the leak with the antenna on and off",
    "which_lo_live": "which oscillator, live: both truths, antenna on, off and said to be off (15 minutes)",
    "blind": "300 random worlds trued by their rasters alone",
    "lines": "drifting, fading and crowded carriers, FM centres and the pilot, against their bounds (ten minutes)",
    "ghosts": "ghosts predicted against the simulator's samples on 300 random scenes",
    "ghost_tests": "true or ghost: 1,000 peaks judged by tests on the simulator's samples (three minutes)",
    "desense": "reciprocal mixing and blocking on the simulator's samples: named, how much is lost, and the cure tried",
    "hunt": "20 houses with a disturber, made without our code: the culprit found by the steps, nobody else accused",
    "cures": "300 ghosts in a wanted channel: what the proposed remedy leaves of each on the simulator's samples",
    "board": "the demo yard's board of bands against the simulator's truth, band by band",
    "band_kills": "kill -9 while all bands of the demo yard are proven, ten times: every band proven, none twice",
    "comparison": "3.0 dB of difference under 10 dB of fading: how often the stated range holds it",
    "cascades": "1,000 random chains of stages against 50 decimal digits",
    "settings": "the advised setting of all gains against brute force on 200 random scenes (about ten minutes)",
    "attenuation": "the 3:1 test on 200 random scenes: signals and products told apart",
    "long_listen": "eight hours heard in fast time with the window open: memory, errors (about ten minutes)",
    "foreign_files": "what sox, soundfile and NumPy wrote, as recordings and through a pipe: every byte comes back",
    "jobs": "every job against every other in six ways, and 20,000 random actions: each ends once, nothing hangs",
    "faults": "600 faults thrown at random in listeners, jobs, workers, savers, engine: told, logged, window alive",
    "truing": "the demo yard of 25 seeds trued from scratch, judged by the simulator's truth",
    "mutants": "30 mutants a floor drawn by seed: how many its own tests catch (hours; a number tries so many)",
    "bad_input": "bad files and full disks: what each one is told",
}


def main() -> int:
    """Run what is named."""
    # A number behind a name is how many of something that proof tries.
    names = [word for word in sys.argv[1:] if not word.replace(".", "").isdigit()]
    if not names:
        for name, what in PROOFS.items():
            print(f"{name:<17} {what}")
        return 0
    if names == ["all"]:
        names = list(PROOFS)
    unknown = [name for name in names if name not in PROOFS]
    if unknown:
        print(f"there is no proof '{unknown[0]}': choose from {', '.join(PROOFS)}", file=sys.stderr)
        return 2
    good = True
    for name in names:
        print(f"== {name}: {PROOFS[name]}", flush=True)
        good = importlib.import_module(name).prove() and good
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
