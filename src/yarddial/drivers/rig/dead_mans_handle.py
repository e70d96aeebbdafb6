"""Dead man's handle: the rule by which a program may key a transmitter. It knows no link and no clock.

A press is valid for 0.3 s and must be renewed. Nothing is queued: a press that has ended, or that came while the
transmitter was not read back as receiving, keys nothing later. After every break of the link, the first order is to
receive, repeated until the transmitter says that it receives.
"""

from math import inf
from typing import Literal

# Validity of one renewal, and the longest transmission.
VALID_S, MAX_KEYED_S = 0.3, 8.0
# Interval between repeated orders to receive, and the delay after which their lack of confirmation is reported.
REPEAT_S, UNCONFIRMED_S = 0.1, 0.5
# A slower round trip is too slow to key over.
MAX_ROUND_TRIP_S = 0.15

KeyState = Literal["unsure", "receiving", "keyed", "releasing"]


class DeadMansHandle:
    """State of one transmitter's key. All times are seconds of one monotonic clock.

    state : `receiving` when read back since the last order, `keyed` while transmitting, `releasing` while an order to
    receive is unconfirmed, `unsure` at the start, after a break, and when confirmation takes too long.
    refusal : why the last press keyed nothing or was ended; empty where the person let go.
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
        # Only a reading asked for from this moment on can confirm reception; infinite before the first order.
        self._confirms_from_s = inf
        self._round_trip_s = inf
        self._is_transmitting: bool | None = None

    def hold(self, press: int, now_s: float) -> None:
        """Renew a press. Each press has a higher number; an ended one cannot be renewed."""
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
        """End the press at once."""
        self._end_press("")
        if self.state == "keyed":
            self._release(now_s)

    def read_back(self, transmitting: bool | None, asked_s: float, now_s: float) -> None:
        """Process a reading; None from a transmitter that does not report its state. asked_s : time of the question."""
        self._is_transmitting, self._round_trip_s = transmitting, now_s - asked_s
        if self.state in ("unsure", "releasing") and transmitting is False and asked_s >= self._confirms_from_s:
            self.state, self.may_transmit = "receiving", False

    def is_late(self, now_s: float) -> None:
        """Release because the link has become slow while keyed and orders still arrive."""
        if self.state == "keyed":
            self._end_press("the link became too slow")
            self._release(now_s)

    def lost(self, now_s: float) -> None:
        """The link broke: the state is unknown, and the press has ended."""
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
        """Next order: True to transmit, False to receive, None for nothing. Call it after every event."""
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
        """Make the next `order` one to receive."""
        self.state, self._released_s, self._ordered_s, self._confirms_from_s = "releasing", now_s, -inf, inf
