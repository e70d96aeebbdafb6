"""A transceiver without a thread: it does at once what it is told, or says nothing, as the test wants it."""

from collections import deque

import msgspec

from yarddial.drivers.rig.dead_mans_handle import KeyState
from yarddial.drivers.rig.protocol import (
    ReadRig,
    RigAnswer,
    RigOrder,
    RigRefused,
    RigSilent,
    RigState,
    SetRigFrequency,
    SetRigMode,
    SetRigSplit,
)
from yarddial.session.rig.worker import Linked, RigNews, Unlinked
from yarddial.session.session import Session
from yarddial.yard import clock


class ScriptedKey:
    """Its key in this process, which does at once what it is told; `hold` and `let_go` are noted."""

    def __init__(self, rig: "ScriptedRig") -> None:
        self._rig = rig
        self.state: KeyState = "receiving"
        self.refusal, self.may_transmit = "", False

    def hold(self) -> None:
        """The person holds it."""
        self._rig.key_calls.append("hold")
        self.state, self.may_transmit = "keyed", True
        self._rig.change(transmitting=True)

    def let_go(self) -> None:
        """The person lets go."""
        self._rig.key_calls.append("let go")
        self.state, self.may_transmit = "receiving", False
        self._rig.change(transmitting=False)

    def close(self) -> None:
        """Nothing to leave."""


class ScriptedRig:
    """In the place of the session's worker; `state` is what it is tuned to, and each poll reads it once."""

    def __init__(self, state: RigState | None = None) -> None:
        self.state = state or RigState(7_100_000.0, "LSB", 2400.0, False)
        self.link = None
        self.orders: list[RigOrder] = []
        self.key_calls: list[str] = []
        self.is_silent = False
        self.refuses = ""
        self._news: deque[RigNews] = deque([Linked()])

    def join(self, session: Session, name: str = "Hearth") -> "ScriptedRig":
        """Linked to a session."""
        session.rig._worker = self  # type: ignore[assignment]
        session.rig.name, session.rig.status = name, "opening"
        session.rig.poll()
        session.rig.poll()
        return self

    def turn(self, hertz: float) -> None:
        """Somebody turns its knob."""
        self.state = msgspec.structs.replace(self.state, frequency_hz=hertz)

    def change(self, **values: object) -> None:
        """Anything else of it changes."""
        self.state = msgspec.structs.replace(self.state, **values)

    def lose(self, sentence: str = "the link to the daemon broke: is it running?") -> None:
        """The link breaks."""
        self._news.append(Unlinked(sentence))

    def order(self, order: RigOrder) -> None:
        """Done at once, or refused."""
        self.orders.append(order)
        if self.refuses:
            self._news.append(RigAnswer(order, clock.monotonic_s(), failure=RigRefused(self.refuses)))
            return
        match order:
            case SetRigFrequency(hertz=hertz):
                self.turn(hertz)
            case SetRigMode(mode=mode, passband_hz=passband_hz):
                self.change(mode=mode, passband_hz=passband_hz or self.state.passband_hz)
            case SetRigSplit(transmit_hz=transmit_hz):
                self.change(transmit_hz=transmit_hz)
            case _:
                pass
        self._news.append(RigAnswer(order, clock.monotonic_s()))

    def take(self) -> list[RigNews]:
        """What has happened, and a reading."""
        news = [*self._news]
        self._news.clear()
        failure = RigSilent("no answer to 'get_freq' within 1 s") if self.is_silent else None
        state = None if self.is_silent else self.state
        return [*news, RigAnswer(ReadRig(), clock.monotonic_s(), state, failure)]

    def open_key(self) -> ScriptedKey:
        """Its key."""
        return ScriptedKey(self)

    def close(self) -> None:
        """Nothing to let go."""
