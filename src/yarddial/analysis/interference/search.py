"""Interference search step by step: what to switch off next, each result, and the source or what remains open.

One observation accuses nobody: the interference must fall when a device is switched off and return when it is on again,
twice.
"""

from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.interference.fingerprint import AirRecord, Fingerprint, find, has_hump, narrowed, strength_db

StepKind = Literal[
    "as it is",
    "antenna off",
    "computer on battery",
    "line choked",
    "mains off",
    "batteries off",
    "computer away",
    "room off",
    "device off",
]
# Interference is gone when it falls by the first, and back when within the second of its former level.
GONE_DB, BACK_DB = 6.0, 3.0
# Records of one state that differ by more than this are intermittent; every step is then repeated.
FICKLE_DB = 3.0
MAX_TRIES = 7
# Extra records after a reconnection, since the interference may pause by itself.
MAX_WAITS = 4


class SearchStep(msgspec.Struct, frozen=True):
    """An action before the next record; `restores` is true where it undoes the step before."""

    kind: StepKind
    words: str
    target: str = ""
    restores: bool = False


class StepResult(msgspec.Struct, frozen=True):
    """A step and the strength of the interference after it."""

    step: SearchStep
    strength_db: float


class SearchVerdict(msgspec.Struct, frozen=True):
    """Verdict so far: named with confidence, ended without a name, or going on."""

    state: Literal["going on", "named", "left open"]
    culprit: str
    sentence: str
    advice: str = ""


AS_IT_IS = SearchStep("as it is", "Leave everything as it is.")
ANTENNA_OFF = SearchStep("antenna off", "Take the antenna's lead off the receiver's side.")
BATTERY_STEP = SearchStep("computer on battery", "Unplug the computer's charger: let it run on its battery.")
CHOKE_STEP = SearchStep("line choked", "Wind the feed line through a ring or clip ferrites on it, at the receiver.")
MAINS_OFF = SearchStep("mains off", "With the computer on battery, switch all of the house off at its main switch.")
# The main switch leaves these on, so they come before anything outside is suspected.
BATTERIES_OFF = SearchStep(
    "batteries off",
    "Switch off what runs on a battery of its own: an uninterruptible supply, alarms, lamps, telephones, toys.",
)
COMPUTER_AWAY = SearchStep(
    "computer away", "Carry the computer and the receiver some metres away from the antenna and from where they stand."
)


class SearchRecord(msgspec.Struct, frozen=True):
    """State of a search; `after` returns it with one more result.

    rooms : circuits of the house by name. devices : what can be unplugged in a room, where stated.
    can_choke, can_mains, has_battery : what the person is able to do. own_mains_hz : mains frequency at the station, 0
    where unknown.
    """

    rooms: tuple[str, ...]
    devices: dict[str, tuple[str, ...]] = {}
    can_choke: bool = True
    can_mains: bool = True
    has_battery: bool = True
    own_mains_hz: float = 0.0
    seen: Fingerprint | None = None
    results: tuple[StepResult, ...] = ()
    records: tuple[AirRecord, ...] = ()

    def after(self, step: SearchStep, record: AirRecord) -> "SearchRecord":
        """Add a record made after a step; the first record without antenna shows which part is noise."""
        records = (*self.records, record)
        seen = self.seen if self.seen is not None else find(record)
        if step.kind == "as it is" and seen.pattern != "comb":
            # The interference may have paused by itself until now.
            now = find(record)
            seen = now if now.pattern == "comb" or seen.pattern == "noise" else seen
        results = (*self.results, StepResult(step, 0.0))
        if step.kind == "antenna off" and not step.restores and not seen.is_narrowed:
            # Compare with the strongest record, since the interference may pause.
            seen = narrowed(seen, max(self.records, key=lambda earlier: float(np.mean(earlier.level_db))), record)
        # With another fingerprint, evaluate all records anew.
        valid_results = self.results if seen == self.seen else ()
        fresh = zip(results[len(valid_results) :], records[len(valid_results) :], strict=True)
        weighed = tuple(msgspec.structs.replace(r, strength_db=strength_db(earlier, seen)) for r, earlier in fresh)
        return msgspec.structs.replace(self, seen=seen, results=(*valid_results, *weighed), records=records)

    @property
    def usual_db(self) -> float:
        """Usual level with everything on: the median of those records."""
        records = sorted(r.strength_db for r in self.results if r.step.kind == "as it is" or r.step.restores)
        return records[len(records) // 2] if records else 0.0

    @property
    def is_fickle(self) -> bool:
        """Return True for intermittent interference."""
        records = [r.strength_db for r in self.results if r.step.kind == "as it is"]
        return len(records) > 1 and max(records) - min(records) > FICKLE_DB

    def next_step(self) -> SearchStep | None:
        """Next step; None once the search is over."""
        return _next(self)

    def verdict(self) -> SearchVerdict:
        """Verdict on the source so far."""
        return _verdict(self)


def _times(search: SearchRecord, step: SearchStep) -> list[Literal["gone", "there", "unclear"]]:
    """Result of each attempt of a step: gone and back, still there, or neither."""
    readings: list[Literal["gone", "there", "unclear"]] = []
    results, usual_db = search.results, search.usual_db
    for index, result in enumerate(results):
        if (result.step.kind, result.step.target) != (step.kind, step.target) or result.step.restores:
            continue
        later = next((i for i in range(index + 1, len(results)) if _takes_away(results[i].step)), len(results))
        back = [later_result.strength_db for later_result in results[index + 1 : later]]
        if not back:
            continue
        before = [later_result.strength_db for later_result in results[:index] if not _takes_away(later_result.step)]
        was_there = not before or before[-1] > usual_db - BACK_DB
        if result.strength_db > usual_db - BACK_DB:
            readings.append("there")
        elif usual_db - result.strength_db >= GONE_DB and was_there and max(back) > usual_db - BACK_DB:
            readings.append("gone")
        else:
            readings.append("unclear")
    return readings


def _takes_away(step: SearchStep) -> bool:
    return step.kind != "as it is" and not step.restores


def _answers(search: SearchRecord, step: SearchStep) -> bool | None:
    """True when it vanished and returned often enough, False when it stayed once, None while open.

    Interference that persists without a device does not come from it; interference that vanished may have paused.
    """
    readings = _times(search, step)
    if "there" in readings:
        return False
    return True if readings.count("gone") >= (3 if search.is_fickle else 2) else None


def _is_given_up(search: SearchRecord, step: SearchStep) -> bool:
    """Return True after so many attempts without an answer."""
    return _answers(search, step) is None and len(_times(search, step)) >= MAX_TRIES


def _restore(step: SearchStep) -> SearchStep:
    words = {
        "antenna off": "Put the antenna's lead back.", "computer on battery": "Plug the charger in again.",
        "line choked": "Take the choke away again.", "mains off": "Switch the house on again.",
        "batteries off": "Switch them on again.", "computer away": "Bring both back to their place.",
    }.get(step.kind, f"Switch {step.target} on again.")  # fmt: skip
    return SearchStep(step.kind, words, step.target, restores=True)


def _wants(search: SearchRecord, step: SearchStep) -> SearchStep | None:
    """Return the step, or its restoration, while its answer is open; None once known."""
    last = search.results[-1].step if search.results else None
    if last is not None and (last.kind, last.target) == (step.kind, step.target) and not last.restores:
        return _restore(step)
    if _answers(search, step) is not None or _is_given_up(search, step):
        return None
    # Only present interference can be seen to vanish.
    records = 0
    for result in reversed(search.results):
        if _takes_away(result.step) or records >= MAX_WAITS or result.strength_db > search.usual_db - BACK_DB:
            break
        records += 1
    return AS_IT_IS if 0 < records < MAX_WAITS else step


def _room(name: str) -> SearchStep:
    return SearchStep("room off", f"Switch off the circuit of {name}.", name)


def _device(name: str) -> SearchStep:
    return SearchStep("device off", f"Unplug {name}.", name)


def _plan(search: SearchRecord) -> list[SearchStep]:
    """Steps in order, as far as present knowledge requires them."""
    steps = [ANTENNA_OFF]
    comes_by_antenna = _answers(search, ANTENNA_OFF)
    if comes_by_antenna is None:
        # Without this answer nothing further can be learned.
        return steps
    if search.has_battery:
        steps.append(BATTERY_STEP)
        answer = _answers(search, BATTERY_STEP)
        if answer or (answer is None and not _is_given_up(search, BATTERY_STEP)):
            return steps
    if not comes_by_antenna:
        return steps
    if search.can_mains and search.has_battery:
        steps.append(MAINS_OFF)
        answer = _answers(search, MAINS_OFF)
        if answer is None and not _is_given_up(search, MAINS_OFF):
            return steps
        if answer is False:
            return [*steps, *_unfed_by_mains(search)]
    for room in search.rooms:
        steps.append(_room(room))
        answer = _answers(search, _room(room))
        if answer is None and not _is_given_up(search, _room(room)):
            return steps
        if answer:
            for device in search.devices.get(room, ()):
                steps.append(_device(device))
                answer = _answers(search, _device(device))
                if answer or (answer is None and not _is_given_up(search, _device(device))):
                    return steps
            return steps
    if search.can_choke:
        steps.append(CHOKE_STEP)
    return steps


def _unfed_by_mains(search: SearchRecord) -> list[SearchStep]:
    """Steps for what goes on without the mains, up to the first that is open or has named it."""
    steps: list[SearchStep] = []
    for step in (BATTERIES_OFF, COMPUTER_AWAY):
        steps.append(step)
        answer = _answers(search, step)
        if answer or (answer is None and not _is_given_up(search, step)):
            break
    return steps


def _next(search: SearchRecord) -> SearchStep | None:
    if len(search.results) < 3:
        return AS_IT_IS
    for step in _plan(search):
        wanted = _wants(search, step)
        if wanted is not None:
            return wanted
    return None


def _verdict(search: SearchRecord) -> SearchVerdict:
    if search.seen is None or _next(search) is not None:
        return SearchVerdict("going on", "", "The hunt goes on.")
    what = search.seen.words
    antenna = _answers(search, ANTENNA_OFF)
    if search.has_battery and _answers(search, BATTERY_STEP):
        return _named("the computer's charger", what, "another supply, or ferrites on its lead, both ends")
    if antenna is None:
        wait = "Wait for an hour when it stays, or note when it comes: a thermostat, a charger, a lamp."
        return SearchVerdict("left open", "", f"It comes and goes by itself too often to be told: {what}.", wait)
    bare = next(
        record for r, record in zip(search.results, search.records, strict=True) if r.step.kind == "antenna off"
    )
    if antenna is False and search.seen.pattern == "noise" and not has_hump(bare):
        covered = "What the receiver adds itself covers what comes in: raise the gain, or look elsewhere."
        return SearchVerdict("left open", "", "Nothing stands out: without the antenna it is as noisy.", covered)
    if antenna is False:
        apart = "a lead of half a metre between the two, ferrites on it, another socket of the computer"
        return _named("the receiver or the computer", what, apart)
    if search.can_mains and search.has_battery and _answers(search, MAINS_OFF) is False:
        return _not_from_mains(search, search.seen)
    room = next((room for room in search.rooms if _answers(search, _room(room))), "")
    if not room:
        choked = search.can_choke and _answers(search, CHOKE_STEP)
        by = "It comes in over the feed line's screen: leave the choke there. " if choked else ""
        advice = f"{by}Walk with a battery receiver, and ask the neighbours."
        nobody = f"It comes in by the antenna, and no circuit of the house makes it: {what}."
        return SearchVerdict("left open", "", nobody, advice)
    device = next((candidate for candidate in search.devices.get(room, ()) if _answers(search, _device(candidate))), "")
    if device:
        return _named(device, what, "ferrites on its lead, another supply, or another place for the antenna")
    return _named(f"something on the circuit of {room}", what, "unplug one thing after the other there")


def _named(culprit: str, what: str, advice: str) -> SearchVerdict:
    return SearchVerdict("named", culprit, f"It is {culprit}: {what}.", advice[:1].upper() + advice[1:] + ".")


def _not_from_mains(search: SearchRecord, seen: Fingerprint) -> SearchVerdict:
    """Verdict for what goes on with the house switched off."""
    what = seen.words
    if _answers(search, BATTERIES_OFF):
        return _named("something on a battery of its own", what, "switch these off one after the other")
    if _answers(search, COMPUTER_AWAY):
        apart = "keep both away from the antenna, ferrites on the lead between them, a screened lead to the antenna"
        return _named("the receiver or the computer", what, apart)
    if any(_answers(search, step) is None for step in (BATTERIES_OFF, COMPUTER_AWAY)):
        return SearchVerdict(
            "left open", "", f"The house's mains does not feed it: {what}.",
            "It is outside, or runs on a battery here: that came and went too often to be told.",
        )  # fmt: skip
    return _outside(seen, search.own_mains_hz)


def _outside(seen: Fingerprint, own_mains_hz: float) -> SearchVerdict:
    """Verdict for interference from outside the house, by its fingerprint."""
    if seen.pattern == "comb":
        return _named("something outside the house", seen.words,
                      "a neighbour's switching supply most likely: ask, and offer a filter")  # fmt: skip
    # A line of the mains pulses at twice its frequency; another rate comes from a supply of its own.
    if seen.mains_hz and own_mains_hz in (0.0, seen.mains_hz / 2):
        return _named("something outside the house", seen.words,
                      "a power line or a lamp in the street: tell whoever keeps it; never go near it")  # fmt: skip
    if seen.mains_hz:
        return _named("something outside the house", seen.words,
                      f"not the mains of {own_mains_hz:g} Hz: a supply or a generator of its own")  # fmt: skip
    return _named("something outside the house", seen.words, "a cable network most likely: tell whoever runs it")
