#!/usr/bin/env python3
"""A receiver for Yard Dial as a program: hears one steady tone, 440 Hz above its centre. See docs/program.md."""

import cmath
import json
import os
import select
import sys
import time
from array import array

TONE_HZ, BLOCK = 440.0, 2400
CAPABILITIES = {
    "say": "capabilities", "version": 1, "name": "Tone", "format": "cf32",
    "ranges_hz": [[1e6, 30e6]], "rates_hz": [48000, 96000],
    "gains": [{"name": "gain", "steps_db": [0, 10, 20]}],
}  # fmt: skip


def say(line: dict) -> None:
    print(json.dumps(line), flush=True)


def settle(ask: dict, state: dict, written: int) -> None:
    """Set all of it, or refuse and change nothing."""
    gain = ask["gains_db"].get("gain", state["gain"])
    if not 1e6 <= ask["centre_hz"] <= 30e6:
        say({"say": "refused", "id": ask["id"], "what": "centre", "why": "it tunes 1 to 30 MHz: dial inside that"})
    elif ask["rate_hz"] not in (48000, 96000) or ask["port"] or ask["bias"] or ask["automatic_gain"]:
        say({"say": "refused", "id": ask["id"], "why": "it has 48 and 96 kS/s and one gain: choose of these"})
    elif set(ask["gains_db"]) - {"gain"}:
        say({"say": "refused", "id": ask["id"], "why": "its one gain stage is called 'gain'"})
    else:
        nearest = min((0, 10, 20), key=lambda step: abs(step - gain))
        state.update(rate=ask["rate_hz"], gain=nearest, due=time.monotonic())
        say({"say": "got", "id": ask["id"], "centre_hz": ask["centre_hz"], "rate_hz": ask["rate_hz"],
             "gains_db": {"gain": nearest}, "from_sample": written})  # fmt: skip


def main() -> None:
    samples = open(os.environ["YARD_DIAL_SAMPLES"], "wb", buffering=0)  # noqa: SIM115
    state = {"rate": 0, "gain": 10, "due": 0.0}
    written = 0
    while True:
        wait_s = max(state["due"] - time.monotonic(), 0) if state["rate"] else None
        if select.select([sys.stdin], [], [], wait_s)[0]:
            line = sys.stdin.readline()
            ask = json.loads(line) if line else {"do": "stop"}
            if ask["do"] == "stop":
                return
            if ask["do"] == "capabilities":
                say(CAPABILITIES)
            if ask["do"] == "set":
                settle(ask, state, written)
            continue
        level = 0.01 * 10 ** (state["gain"] / 20)
        turns = [TONE_HZ / state["rate"] * n % 1.0 for n in range(written, written + BLOCK)]
        points = [level * cmath.exp(2j * cmath.pi * turn) for turn in turns]
        samples.write(array("f", [part for point in points for part in (point.real, point.imag)]).tobytes())
        written += BLOCK
        state["due"] += BLOCK / state["rate"]


main()
