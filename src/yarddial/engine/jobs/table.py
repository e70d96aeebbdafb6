"""Who goes with whom: natures of jobs, and what becomes of any two of them. The one place where that is decided."""

from typing import Literal

import msgspec

# What a job does with the receiver:
#   listen   : shows and hears a piece of the span for as long as its place is open; steps back for others
#   glance   : looks at what comes in without being asked for, and makes way for everybody
#   along    : only looks along, whatever the receiver is set to
#   recurring: takes a short reading every so often, where nobody has the receiver for work of its own
#   record   : writes down what comes in, and must not be disturbed
#   work     : sets the receiver, or needs it held still, until it has its answer
#   device   : needs the device itself, with nobody at it
Nature = Literal["listen", "glance", "along", "recurring", "record", "work", "device"]

# What becomes of the two when one of them is under way and the other is asked for:
#   beside   : both go on
#   waits    : the new one is granted, and begins when the other has ended
#   yields   : the one under way steps back, and goes on when the new one has ended
#   displaces: the one under way is ended
#   refused  : the new one is not begun
Encounter = Literal["beside", "waits", "yields", "displaces", "refused"]

_NATURES: tuple[Nature, ...] = ("listen", "glance", "along", "recurring", "record", "work", "device")
_RULES = """
under way | new:  listen     glance     along      recurring  record     work       device
listen            displaces  refused    beside     beside     beside     yields     yields
glance            displaces  refused    beside     beside     displaces  displaces  displaces
along             beside     beside     beside     beside     beside     beside     displaces
recurring         beside     beside     beside     beside     beside     yields     yields
record            beside     refused    beside     beside     refused    refused    refused
work              waits      refused    beside     waits      refused    refused    refused
device            waits      refused    refused    waits      refused    refused    refused
"""


class JobKind(msgspec.Struct, frozen=True):
    """A kind of job; declared in the file of its activity.

    name : by which it is told from others. label : who has the receiver, as the window says it. under_way : why nobody
    else can have it. tunes : says where the receiver looks while it has it; the others leave that to the dial.
    outlives : goes on when the receiver is lost or stopped by a fault.
    hears_transmissions : listens to the person's own transmitter, and is not ended when that transmits.
    """

    name: str
    nature: Nature
    label: str
    under_way: str
    tunes: bool = True
    outlives: bool = False
    hears_transmissions: bool = False


def _rules() -> dict[tuple[Nature, Nature], Encounter]:
    rows = {row.split()[0]: row.split()[1:] for row in _RULES.strip().splitlines()[1:]}
    return {
        (running, new): msgspec.convert(rows[running][column], Encounter)
        for running in _NATURES
        for column, new in enumerate(_NATURES)
    }


RULES = _rules()
