"""The long campaigns behind the claims. `./yard proof` lists them, `./yard proof NAME` runs one, `all` runs all."""

import importlib
import sys

PROOFS = {
    "carrier": "the estimator against the Cramer-Rao bound, 16 to 60 dB, 48 kS/s and 2.4 MS/s (about half an hour)",
    "path": "path arithmetic against 50 decimal digits, 10,000 random chains",
    "yards": "2,000 random yards: files, arithmetic both ways, coverage against a brute-force scan",
    "mutated": "100,000 mutated station, part and Touchstone files: a sentence or a good load, each",
    "edit_kill": "kill -9 while editing, 200 times: the last or the one-before-last edit is there",
    "driver_faults": "unplug, hang and kill of the driver while streaming, 50 times each: window alive, log intact",
    "losses": "100 gaps of 1 to 10,000 samples found and counted by phase; ten minutes without a false one",
    "span": "500 random bands: the chosen rate and centre against a search by plain loops",
    "balance": "blind I/Q balance from 33 dB on 60 random scenes, and clean signals left alone (five minutes)",
    "demodulators": "SINAD against closed forms, what stands beside the channel, tones",
    "long_listen": "eight hours heard in fast time with the window open: memory, errors (about ten minutes)",
    "foreign_files": "what sox, soundfile and NumPy wrote, as recordings and through a pipe: every byte comes back",
    "kill": "kill -9 during log writes, 200 times: every committed entry is there",
    "truing": "the demo yard of 25 seeds trued from scratch, judged by the simulator's truth",
    "bad_input": "bad files and full disks: what each one is told",
}


def main() -> int:
    """Run what is named."""
    names = sys.argv[1:]
    if not names:
        for name, what in PROOFS.items():
            print(f"{name:<12} {what}")
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
