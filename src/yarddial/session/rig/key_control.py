"""The linked transmitter's key in the session: opened when needed, closed when reception is confirmed."""

from typing import TYPE_CHECKING, Protocol

from yarddial.drivers.rig.protocol import RigRefused

if TYPE_CHECKING:
    from yarddial.drivers.rig.key_handle import KeyHandle


class KeyOpener(Protocol):
    """Opener of a linked transceiver's key."""

    def open_key(self) -> "KeyHandle":
        """Open the key; raises RigRefused where that is impossible."""
        ...


class KeyControl:
    """One key at a time. It outlives its link until the transmitter was read back as receiving."""

    def __init__(self) -> None:
        self.handle: KeyHandle | None = None
        self._name, self._is_wanted, self._state = "", False, ""

    def ready(self, opener: KeyOpener | None, name: str) -> str:
        """Open the transmitter's key, which receives until held. Return why not, or an empty text."""
        if opener is None:
            return "no transceiver is linked"
        self.poll()
        if self.handle is not None and not self._is_wanted:
            # The old key may belong to another transceiver, or to a daemon that is gone.
            return f"{self._name} has not said yet that it receives"
        self._is_wanted = True
        if self.handle is None:
            try:
                self.handle, self._name = opener.open_key(), name
            except RigRefused as error:
                return str(error)
        return ""

    def leave(self) -> None:
        """Release the key; it closes once the transmitter was read back as receiving."""
        self._is_wanted = False
        if self.handle is not None:
            self.handle.let_go()

    @property
    def is_ready(self) -> bool:
        """True once the transmitter was read back as receiving; before that a press keys nothing."""
        return self.handle is not None and self.handle.state == "receiving"

    @property
    def unconfirmed_name(self) -> str:
        """Name of a transceiver that may be transmitting by our order without confirmation; empty for none."""
        handle = self.handle
        return self._name if handle is not None and handle.may_transmit and handle.state == "unsure" else ""

    def poll(self) -> bool:
        """Close a key that is no longer needed; return True when its state has changed."""
        if self.handle is not None and not self._is_wanted and not self.handle.may_transmit:
            self.handle.close()
            self.handle = None
        state = "" if self.handle is None else f"{self.handle.state} {self.unconfirmed_name}"
        has_changed, self._state = state != self._state, state
        return has_changed
