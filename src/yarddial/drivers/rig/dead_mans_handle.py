"""The rule by which a program may key a transmitter: a dead man's handle. It knows no link and no clock of its own.

A press is valid for 0.3 s and has to be renewed. Nothing is queued: a press that ended, or that came while the
transmitter was not read back as receiving, keys nothing any more. After every break of the link the first order is to
receive, and it is repeated until the transmitter says that it receives.
"""

from math import inf
from typing import Literal

# How long one renewal holds, and the longest transmission.
VALID_S, MAX_KEYED_S = 0.3, 8.0
# Interval between repeated orders to receive, and how long they may go unconfirmed before that is said.
REPEAT_S, UNCONFIRMED_S = 0.1, 0.5
# A link that takes longer than this from question to answer is too slow to key over.
MAX_ROUND_TRIP_S = 0.15

KeyState = Literal["unsure", "receiving", "keyed", "releasing"]


class DeadMansHandle:
    """State of one transmitter's key. All times are of one monotonic clock, seconds.

    state : `receiving` when it was read back since the last order, `keyed` while it is made to transmit, `releasing`
        while an order to receive is not confirmed, `unsure` at the start, after a break, and when that takes too long.
    refusal : why the latest press keyed nothing, or was ended; empty when the person let go.
    """

    def __init__(self) -> None:
        self.state: KeyState = "unsure"
        self.refusal = ""
        # True from the first order to transmit until a reading confirms that it receives.
        self.may_transmit = False
        # Number of the latest press.
        self.press, self._ended_press = 0, 0
        self._valid_until_s, self._keyed_since_s = -inf, -inf
        self._ordered_s, self._released_s = -inf, -inf
        # A reading asked for from this moment on can confirm that it receives: infinite before the first order to.
        self._confirms_from_s = inf
        self._round_trip_s = inf
        self._is_transmitting: bool | None = None

    def hold(self, press: int, now_s: float) -> None:
        """Renew a press. Each press of the person has a higher number; one that has ended cannot come back."""
        if press <= self._ended_press:
            return
        if self.state == "keyed":
            if press == self.press:
                self._valid_until_s = now_s + VALID_S
            return
        self.press = press
        if self.state != "receiving":
            self._end_press("whether it receives was not confirmed: press again when it is")
        elif self._is_transmitting is not False:
            self._end_press("it transmits already")
        elif self._round_trip_s > MAX_ROUND_TRIP_S:
            self._end_press(f"the link takes {self._round_trip_s:.1f} s to answer: too slow to key over")
        else:
            self._valid_until_s = now_s + VALID_S

    def let_go(self, now_s: float) -> None:
        """The person let go: the press ends at once."""
        self._end_press("")
        if self.state == "keyed":
            self._release(now_s)

    def read_back(self, transmitting: bool | None, asked_s: float, now_s: float) -> None:
        """Take a reading, None for one that the transmitter does not answer. asked_s : when it was asked."""
        self._is_transmitting, self._round_trip_s = transmitting, now_s - asked_s
        if self.state in ("unsure", "releasing") and transmitting is False and asked_s >= self._confirms_from_s:
            self.state, self.may_transmit = "receiving", False

    def is_late(self, now_s: float) -> None:
        """The link has become too slow while keyed: release while orders still arrive."""
        if self.state == "keyed":
            self._end_press("the link became too slow")
            self._release(now_s)

    def lost(self, now_s: float) -> None:
        """The link broke: nothing is known any more, and the press has ended."""
        if self.press > self._ended_press:
            self._end_press("the link broke")
        self.state, self._is_transmitting, self._round_trip_s = "unsure", None, inf
        self._ordered_s, self._released_s, self._confirms_from_s = -inf, -inf, inf

    def was_refused(self, now_s: float) -> None:
        """The transmitter refused to transmit."""
        if self.state == "keyed":
            self._end_press("the transmitter refused")
            self._release(now_s)

    def order(self, now_s: float) -> bool | None:
        """What to order now: True to transmit, False to receive, None for nothing. Call it after every event."""
        if self.state == "keyed":
            if now_s >= self._valid_until_s:
                self._end_press("nobody held the key any more")
                self._release(now_s)
            elif now_s - self._keyed_since_s >= MAX_KEYED_S:
                self._end_press(f"{MAX_KEYED_S:g} s are enough")
                self._release(now_s)
        elif self.state == "receiving" and self.press > self._ended_press and now_s < self._valid_until_s:
            self.state, self._keyed_since_s, self.may_transmit, self.refusal = "keyed", now_s, True, ""
            return True
        if self.state == "releasing" and now_s - self._released_s > UNCONFIRMED_S:
            self.state = "unsure"
        if self.state in ("releasing", "unsure") and now_s - self._ordered_s >= REPEAT_S:
            self._ordered_s, self._confirms_from_s = now_s, min(self._confirms_from_s, now_s)
            return False
        return None

    def _end_press(self, refusal: str) -> None:
        self._ended_press, self._valid_until_s, self.refusal = self.press, -inf, refusal

    def _release(self, now_s: float) -> None:
        """The next `order` is to receive."""
        self.state, self._released_s, self._ordered_s, self._confirms_from_s = "releasing", now_s, -inf, inf
