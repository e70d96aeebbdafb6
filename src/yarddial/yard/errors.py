"""Errors that the program raises on purpose, by what the person was doing.

Each descends from `YardDialError`, so a window or a command catches that one class and shows its sentence. Each also
descends from the nearest built-in error, for callers that do not know this program.
"""

from pathlib import Path


class YardDialError(Exception):
    """Root of all errors with a sentence for the person: what, where, what to do."""


class BadFrequency(YardDialError, ValueError):
    """The text is no frequency, or can be read in two ways. `readings_hz` holds the readings, if any."""

    def __init__(self, message: str, text: str = "", readings_hz: tuple[float, ...] = ()) -> None:
        super().__init__(message)
        self.text = text
        self.readings_hz = readings_hz


class BadLevel(YardDialError, ValueError):
    """The text or number is no level, gain or noise figure."""


class BadPath(YardDialError, ValueError):
    """A path, or a part of it, is invalid."""


class BadStation(YardDialError, ValueError):
    """A station file, or an edit of it, is invalid."""


class CannotTune(YardDialError, ValueError):
    """The receiver cannot tune to the frequency."""

    def __init__(self, message: str, asked_hz: float = float("nan")) -> None:
        super().__init__(message)
        self.asked_hz = asked_hz


class NoCarrier(YardDialError, LookupError):
    """No carrier exceeds the noise. `best_hz` and `best_snr_db` give the best candidate."""

    def __init__(
        self, message: str, best_hz: float = float("nan"), best_snr_db: float = float("nan"), needed_db: float = 0.0
    ) -> None:
        super().__init__(message)
        self.best_hz = best_hz
        self.best_snr_db = best_snr_db
        self.needed_db = needed_db


class BadSamples(YardDialError, ValueError):
    """The samples cannot be measured: too few, not finite, clipped."""


class BadRecording(YardDialError, ValueError):
    """The recording cannot be read, or contradicts itself. `path` names it."""

    def __init__(self, message: str, path: str = "") -> None:
        super().__init__(message)
        self.path = path


class CentreUnclear(BadRecording):
    """A recording's centre may be the dial's or the receiver's; the person must choose."""


class BadObservations(YardDialError, ValueError):
    """The observations cannot be fitted."""


class DeviceNotFound(YardDialError, LookupError):
    """There is no receiver at this address."""


class DeviceClaimed(YardDialError, PermissionError):
    """A kernel driver holds the receiver. `remedy` is the command that releases it, for the person to run."""

    def __init__(self, message: str, remedy: str = "") -> None:
        super().__init__(message)
        self.remedy = remedy


class DeviceDenied(YardDialError, PermissionError):
    """The person may not open the receiver. `remedy` is the rule that permits it, for the person to install."""

    def __init__(self, message: str, remedy: str = "") -> None:
        super().__init__(message)
        self.remedy = remedy


class DeviceBusy(YardDialError, BlockingIOError):
    """Another program holds the receiver. `holder` names it when known."""

    def __init__(self, message: str, holder: str = "") -> None:
        super().__init__(message)
        self.holder = holder


class ProgramNotAllowed(YardDialError, PermissionError):
    """A station names a program that has not been allowed on this computer. `command` is what would be started."""

    def __init__(self, message: str, command: str = "") -> None:
        super().__init__(message)
        self.command = command


class DeviceStalled(YardDialError, TimeoutError):
    """The receiver is present and delivers no samples. `waited_s` gives the waiting time."""

    def __init__(self, message: str, waited_s: float = float("nan")) -> None:
        super().__init__(message)
        self.waited_s = waited_s


class RefusedValue(YardDialError, ValueError):
    """The receiver does not have the requested rate, gain, port or bandwidth."""


class BadDriver(YardDialError, ImportError):
    """An external driver cannot be loaded, or is not a driver."""


class DeviceLost(YardDialError, ConnectionError):
    """The receiver stopped answering while it was in use."""


class NotWritten(YardDialError, OSError):
    """A file could not be written; its previous contents are untouched.

    is_kept : a copy that outlives a restart of the computer is kept elsewhere.
    """

    is_kept = False


class ChangedElsewhere(NotWritten):
    """Another program changed the file since it was read. `theirs` holds its contents."""

    def __init__(self, message: str, theirs: bytes = b"") -> None:
        super().__init__(message)
        self.theirs = theirs


class ReadOnlyFile(NotWritten):
    """The file is marked read-only; ask the person before writing."""


class LogNotWritten(YardDialError, OSError):
    """The logbook could not store an entry; the entry stays in memory and is retried."""


class LogDamaged(LogNotWritten):
    """The logbook is damaged; a backup copy can replace it. `path` names it."""

    def __init__(self, message: str, path: Path) -> None:
        super().__init__(message)
        self.path = path
