"""Natures of jobs, and what happens when one of them is requested while another runs. Nothing else decides this.

What a job does with the receiver:
  listen   : shows and plays part of the span while its place is open; steps back for others
  glance   : measures unasked what comes in, and makes way for every other job
  along    : only observes, whatever the settings of the receiver
  recurring: takes a short reading at intervals, when no work has the receiver
  record   : writes the samples to a file, and must not be disturbed
  work     : sets the receiver, or needs its settings unchanged, until it has its result
  device   : needs the device itself, with no other job

What happens to the running and the requested job:
  beside   : both run
  waits    : the new one is granted, and begins when the running one has ended
  yields   : the running one steps back, and resumes when the new one has ended
  displaces: the running one is ended
  refused  : the new one is not begun
"""

from typing import Literal

import msgspec

Nature = Literal["listen", "glance", "along", "recurring", "record", "work", "device"]
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
    asks_hands : asks the person to move plugs while it runs, and is not ended by that.
    """

    name: str
    nature: Nature
    label: str
    under_way: str
    tunes: bool = True
    outlives: bool = False
    hears_transmissions: bool = False
    asks_hands: bool = False


def _rules() -> dict[tuple[Nature, Nature], Encounter]:
    rows = {row.split()[0]: row.split()[1:] for row in _RULES.strip().splitlines()[1:]}
    return {
        (running, new): msgspec.convert(rows[running][column], Encounter)
        for running in _NATURES
        for column, new in enumerate(_NATURES)
    }


RULES = _rules()
