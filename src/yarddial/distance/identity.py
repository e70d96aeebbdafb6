"""Identity of a computer: its key and certificate, the computers that it serves, and those that it knows.

All of it lies in the person's own folder, readable by nobody else, and is written completely or not at all.
"""

import hashlib
import hmac
import os
import secrets
from collections.abc import Callable, Iterable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Literal, TypeVar

import msgspec

from yarddial.records.whole_file import write_whole
from yarddial.yard import clock
from yarddial.yard.errors import NotWritten, YardDialError

T = TypeVar("T")
Role = Literal["listen", "control"]
CERTIFICATE_YEARS = 30
# Digits of a certificate's fingerprint in an address: 64 bits.
MARK_DIGITS = 16


class PairedComputer(msgspec.Struct, frozen=True):
    """A paired guest: its name, role, and the hash of its password, which alone is its identity."""

    name: str
    role: Role
    word_print: str
    paired_utc: str = ""

    @property
    def mark(self) -> str:
        """The first signs of its identity, to tell two of one name apart."""
        return mark_of(self.word_print)


class KnownComputer(msgspec.Struct, frozen=True):
    """A known server: address, certificate fingerprint and password."""

    name: str
    host: str
    port: int
    fingerprint: str
    word: str

    @property
    def mark(self) -> str:
        """The first signs of its certificate's fingerprint, to be compared by eye."""
        return mark_of(self.fingerprint)


class Identity:
    """Key, certificate and paired computers of a serving one, in a folder."""

    def __init__(self, folder: Path) -> None:
        """Create what is missing; raises NotWritten."""
        self.certificate_path, self.key_path = folder / "certificate.pem", folder / "key.pem"
        self._paired_path = folder / "paired.json"
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise NotWritten(f"cannot make {folder}: {error.strerror}; check its permissions") from error
        if not (self.certificate_path.exists() and self.key_path.exists()):
            self._make()

    @property
    def certificate(self) -> bytes:
        """The certificate in DER, as sent on the link."""
        from cryptography import x509
        from cryptography.hazmat.primitives.serialization import Encoding

        return x509.load_pem_x509_certificate(self.certificate_path.read_bytes()).public_bytes(Encoding.DER)

    def _make(self) -> None:
        from cryptography import x509
        from cryptography.hazmat.primitives import hashes
        from cryptography.hazmat.primitives.asymmetric import ec
        from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

        key = ec.generate_private_key(ec.SECP256R1())
        name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "yard-dial")])
        now = datetime.now(UTC)
        certificate = (
            x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
            .serial_number(x509.random_serial_number()).not_valid_before(now - timedelta(days=1))
            .not_valid_after(now + timedelta(days=365 * CERTIFICATE_YEARS)).sign(key, hashes.SHA256())
        )  # fmt: skip
        _write_private(self.key_path, key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
        _write_private(self.certificate_path, certificate.public_bytes(Encoding.PEM))

    def paired(self) -> tuple[PairedComputer, ...]:
        """All paired guests, read again on each call so that a revocation counts at once."""
        return _read(self._paired_path, tuple[PairedComputer, ...], lambda: ())

    def pair(self, name: str, role: Role) -> str:
        """Pair a computer and return its password, of which only a hash is kept.

        A name that is taken gets a number: no pairing replaces another, which keeps its own rights until it is revoked.
        """
        word = secrets.token_urlsafe(32)
        others = self.paired()
        free = _free_name(name, {guest.name for guest in others})
        computer = PairedComputer(free, role, _print_of(word), clock.utc_text())
        _write_private(self._paired_path, msgspec.json.encode((*others, computer)))
        return word

    def revoke(self, name: str) -> bool:
        """Revoke a computer; False where none has that name."""
        remaining = [guest for guest in self.paired() if guest.name != name]
        if len(remaining) == len(self.paired()):
            return False
        _write_private(self._paired_path, msgspec.json.encode(remaining))
        return True

    def who_comes_with(self, word: str) -> PairedComputer | None:
        """Find the paired computer with this password; takes the same time whether there is one or not."""
        computer: PairedComputer | None = None
        given = _print_of(word)
        for guest in self.paired():
            if hmac.compare_digest(guest.word_print, given):
                computer = guest
        return computer


class KnownComputers:
    """Servers with which this computer was paired, in a file."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def all(self) -> tuple[KnownComputer, ...]:
        """All known computers, by name."""
        return _read(self._path, tuple[KnownComputer, ...], lambda: ())

    def named(self, name: str) -> KnownComputer | None:
        """A known computer by its name."""
        return next((computer for computer in self.all() if computer.name == name), None)

    def add(self, computer: KnownComputer) -> None:
        """Add a computer, replacing what was known of its certificate; raises NotWritten.

        Raises BadIdentity for a name by which another computer is known: `far:NAME` would then mean both.
        """
        taken = self.named(computer.name)
        if taken is not None and taken.fingerprint != computer.fingerprint:
            raise BadIdentity(
                f"another computer is known as {computer.name} ({taken.mark}, at {taken.host}), and this one is "
                f"{computer.mark}: give it another name, or forget the other one first"
            )
        others = [known for known in self.all() if known.fingerprint != computer.fingerprint]
        self._path.parent.mkdir(parents=True, exist_ok=True)
        _write_private(self._path, msgspec.json.encode((*others, computer)))

    def at(self, place: str) -> KnownComputer | None:
        """The computer of an address; see `computer_at`."""
        return computer_at(place, self.all())

    def forget(self, name: str) -> None:
        """Forget a computer."""
        _write_private(self._path, msgspec.json.encode([computer for computer in self.all() if computer.name != name]))


class BadIdentity(YardDialError):
    """A file of keys or computers that cannot be read."""


def place_of(computer: KnownComputer) -> str:
    """Place of a computer in an address: NAME@MARK. The mark counts; the name is for people."""
    return f"{computer.name}@{computer.fingerprint[:MARK_DIGITS]}"


def computer_at(place: str, known: Iterable[KnownComputer]) -> KnownComputer | None:
    """The computer at a place: by its certificate whatever it is called now, or by its name alone."""
    _, at, mark = place.rpartition("@")
    if at and len(mark) == MARK_DIGITS:
        return next((computer for computer in known if computer.fingerprint.startswith(mark)), None)
    return next((computer for computer in known if computer.name == place), None)


def mark_of(digits: str) -> str:
    """Twelve hexadecimal digits of a fingerprint in groups of four."""
    return "-".join(digits[place : place + 4] for place in (0, 4, 8))


def _free_name(name: str, taken: set[str]) -> str:
    if name not in taken:
        return name
    number = 2
    while f"{name} ({number})" in taken:
        number += 1
    return f"{name} ({number})"


def _print_of(word: str) -> str:
    return hashlib.sha256(word.encode("utf-8", "replace")).hexdigest()


def _write_private(path: Path, content: bytes) -> None:
    """Write a file completely, readable by the person only."""
    before = os.umask(0o077)
    try:
        write_whole(path, content)
        path.chmod(0o600)
    finally:
        os.umask(before)


def _read(path: Path, kind: type[T], empty: Callable[[], T]) -> T:
    try:
        return msgspec.json.decode(path.read_bytes(), type=kind)
    except FileNotFoundError:
        return empty()
    except (OSError, msgspec.DecodeError) as error:
        raise BadIdentity(f"{path} cannot be read: {error}; nobody is let in until it is mended or removed") from error
