"""Every job there is, and who goes with whom: the one place where that is decided."""

from typing import Literal

import msgspec

# What a job does with the receiver:
#   listen   : shows and hears a piece of the span for as long as its place is open; steps back for others
#   glance   : looks at what comes in without being asked for, and makes way for everybody
#   along    : only looks along, whatever the receiver is set to
#   record   : writes down what comes in, and must not be disturbed
#   work     : sets the receiver, or needs it held still, until it has its answer
#   device   : needs the device itself, with nobody at it
Nature = Literal["listen", "glance", "along", "record", "work", "device"]

# What becomes of the two when one of them is under way and the other is asked for:
#   beside   : both go on
#   waits    : the new one is granted, and begins when the other has ended
#   yields   : the one under way steps back, and goes on when the new one has ended
#   displaces: the one under way is ended
#   refused  : the new one is not begun
Encounter = Literal["beside", "waits", "yields", "displaces", "refused"]

_NATURES: tuple[Nature, ...] = ("listen", "glance", "along", "record", "work", "device")
_RULES = """
under way | new:  listen     glance     along      record     work       device
listen            displaces  refused    beside     beside     yields     yields
glance            displaces  refused    beside     displaces  displaces  displaces
along             beside     beside     displaces  beside     beside     displaces
record            beside     refused    beside     refused    refused    refused
work              waits      refused    beside     refused    refused    refused
device            waits      refused    refused    refused    refused    refused
"""


class JobKind(msgspec.Struct, frozen=True):
    """A kind of job.

    name : by which it is asked for. label : who has the receiver, as the window says it. under_way : why nobody else
    can have it. tunes : says where the receiver looks while it has it; the others leave that to the dial.
    outlives : goes on when the receiver is lost or stopped by a fault.
    """

    name: str
    nature: Nature
    label: str
    under_way: str
    tunes: bool = True
    outlives: bool = False


_KINDS = (
    JobKind("listening", "listen", "Listen", "Listen has the receiver", outlives=True),
    JobKind("level_glance", "glance", "a look at the levels", "the levels are being looked at"),
    JobKind("crystal_follower", "along", "the crystal is followed", "the crystal is followed", tunes=False),
    JobKind("recording", "record", "a recording", "samples are being recorded: end that first", tunes=False),
    JobKind("measurement", "work", "a measurement", "a measurement is under way"),
    JobKind("carrier_watch", "work", "the watch of a carrier", "a carrier is being watched"),
    JobKind("lo_leak_scan", "work", "the look for an oscillator", "a converter's oscillator is being looked for"),
    JobKind("tone", "work", "a tone", "a tone is being heard"),
    JobKind("raster", "work", "a scan for the raster", "a band is being scanned for its raster"),
    JobKind("pilot", "work", "a stereo pilot", "a stereo pilot is being listened for"),
    JobKind("gain_sweep", "work", "a gain sweep", "a sweep is under way"),
    JobKind("attenuation_test", "work", "the 3:1 test", "the 3:1 test is under way"),
    JobKind("span_test", "work", "the test of the span", "the span is being tested"),
    JobKind("remedy_trial", "work", "a remedy on trial", "a remedy is being tried"),
    JobKind("hunt", "work", "the hunt for interference", "a look of the hunt is under way"),
    JobKind("strong_scan", "work", "the scan for strong signals", "the bands are being scanned"),
    JobKind("comparison", "work", "a comparison", "a comparison is under way"),
    JobKind("own_transmission", "work", "one's own transmission", "one's own transmission is being heard"),
    JobKind("reception_check", "work", "the proof by steps", "the proof by steps is under way", tunes=False),
    JobKind("band_run", "work", "the proof of all bands", "the bands are being proven", tunes=False, outlives=True),
    JobKind(
        "oscillator_walk", "work", "all oscillators", "all oscillators are being measured", tunes=False, outlives=True
    ),
    JobKind("device_check", "device", "First light", "checks are being made", tunes=False, outlives=True),
)
KINDS = {kind.name: kind for kind in _KINDS}


def _rules() -> dict[tuple[Nature, Nature], Encounter]:
    rows = {row.split()[0]: row.split()[1:] for row in _RULES.strip().splitlines()[1:]}
    return {
        (running, new): msgspec.convert(rows[running][column], Encounter)
        for running in _NATURES
        for column, new in enumerate(_NATURES)
    }


RULES = _rules()
