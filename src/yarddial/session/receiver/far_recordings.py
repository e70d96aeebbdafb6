"""Recordings on another computer: the list, and transfers one after the other."""

from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners

if TYPE_CHECKING:
    from yarddial.distance.far_engine import FarEngine
    from yarddial.distance.fetching import Fetching
    from yarddial.distance.wire import FarRecording

Tells = Callable[["Fetching"], None]


class FarRecordings:
    """Transfer recordings in turn; the requester hears of progress and, once, of the end.

    far_engine : returns the link in use, or None where the receiver is local.
    """

    def __init__(self, far_engine: "Callable[[], FarEngine | None]") -> None:
        self._far_engine = far_engine
        self._changed = Listeners()
        self._waiting: deque[tuple[FarEngine, str, Path, Tells]] = deque()
        self._now: tuple[FarEngine, Fetching, Tells] | None = None
        self._seen: object = None
        # Transferred recordings by name, with their local paths.
        self.brought: dict[str, Path] = {}

    def on_far_recordings_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for progress, ends and a changed list."""
        return self._changed.add(listener)

    @property
    def there(self) -> "tuple[FarRecording, ...]":
        """Recordings on the computer in use, newest first."""
        far = self._far_engine()
        return (far.recordings or ()) if far is not None else ()

    @property
    def fetching(self) -> "Fetching | None":
        """Recording being transferred."""
        return self._now[1] if self._now is not None else None

    def refresh(self) -> None:
        """Request the list again."""
        far = self._far_engine()
        if far is not None:
            far.list_recordings()

    def waits(self, name: str) -> bool:
        """Whether one is queued or being transferred."""
        fetching = self.fetching
        return any(errand[1] == name for errand in self._waiting) or (fetching is not None and fetching.name == name)

    def bring(self, name: str, target: Path, on_progress: Tells = lambda fetching: None) -> None:
        """Transfer it to `target`, resuming an earlier transfer."""
        far = self._far_engine()
        if far is not None and not self.waits(name):
            self._waiting.append((far, name, target, on_progress))
            self._next()
            self._changed.tell()

    def leave(self, name: str) -> None:
        """Cancel a transfer and tell the requester; what has arrived is kept."""
        self._waiting = deque(errand for errand in self._waiting if errand[1] != name)
        if self._now is not None and self._now[1].name == name:
            far, fetching, on_progress = self._now
            self._now = None
            far.leave_fetching()
            on_progress(fetching)
        self._next()
        self._changed.tell()

    def remove(self, name: str) -> None:
        """Delete it there."""
        far = self._far_engine()
        if far is not None:
            self.leave(name)
            far.remove_recording(name)

    def poll(self) -> None:
        """Report progress."""
        fetching = self.fetching
        seen = (self.there, fetching.have_bytes if fetching else 0, fetching.is_done if fetching else False)
        if seen == self._seen:
            return
        self._seen = seen
        if self._now is not None:
            _, fetching, on_progress = self._now
            if fetching.is_done:
                self._now = None
                if not fetching.trouble:
                    self.brought[fetching.name] = fetching.meta_path
                self.refresh()
            on_progress(fetching)
            self._next()
        self._changed.tell()

    def _next(self) -> None:
        if self._now is None and self._waiting:
            far, name, target, on_progress = self._waiting.popleft()
            self._now, self._seen = (far, far.fetch(name, target), on_progress), None


class FarTopics(Protocol):
    """What this activity needs of the session."""

    @property
    def far_in_use(self) -> "Callable[[], FarEngine | None]":
        """The far computer whose receiver is used."""
        ...


def _make(of: FarTopics) -> FarRecordings:
    return FarRecordings(of.far_in_use)


DECLARATION = Declaration(
    make=_make, needs_polls=lambda recordings: recordings.fetching is not None, poll=FarRecordings.poll
)
