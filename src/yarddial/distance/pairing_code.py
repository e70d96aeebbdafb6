"""Short code for pairing: the certificate's fingerprint and a one-time secret.

Twenty-four characters in groups of four: 80 bits of the certificate's SHA-256, 35 of a secret, five of a checksum.
They are digits and letters without I, L, O and U.
"""

import hashlib
import secrets

import msgspec

from yarddial.yard.errors import YardDialError

SIGNS = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
PRINT_BITS, SECRET_BITS, CHECK_BITS = 80, 35, 5
SIGN_COUNT = (PRINT_BITS + SECRET_BITS + CHECK_BITS) // 5
_CONFUSABLE = str.maketrans("ILOU", "110V")


class BadPairingCode(YardDialError, ValueError):
    """A code that was mistyped."""


class PairingCode(msgspec.Struct, frozen=True):
    """Parts of a code: the first bits of the certificate's fingerprint, and the secret."""

    print_bits: int
    secret: int

    @property
    def text(self) -> str:
        """The code as shown and typed."""
        whole = ((self.print_bits << SECRET_BITS) | self.secret) << CHECK_BITS
        whole |= _check(self.print_bits, self.secret)
        signs = "".join(SIGNS[(whole >> (5 * place)) & 31] for place in range(SIGN_COUNT - 1, -1, -1))
        return "-".join(signs[first : first + 4] for first in range(0, SIGN_COUNT, 4))

    def fits(self, certificate: bytes) -> bool:
        """True when a certificate (DER) is the intended one."""
        return secrets.compare_digest(str(self.print_bits), str(print_bits_of(certificate)))


def new_code(certificate: bytes) -> PairingCode:
    """Make a code for a certificate, with a fresh secret."""
    return PairingCode(print_bits_of(certificate), secrets.randbits(SECRET_BITS))


def read_code(text: str) -> PairingCode:
    """Read a typed code: lower case, blanks and look-alikes are accepted. Raises BadPairingCode."""
    plain = "".join(sign for sign in text.upper().translate(_CONFUSABLE) if sign not in "- \t\n")
    if len(plain) != SIGN_COUNT or any(sign not in SIGNS for sign in plain):
        raise BadPairingCode("a pairing code has six groups of four digits or letters: look at the far computer")
    whole = 0
    for sign in plain:
        whole = whole << 5 | SIGNS.index(sign)
    check, whole = whole & 31, whole >> CHECK_BITS
    code = PairingCode(whole >> SECRET_BITS, whole & ((1 << SECRET_BITS) - 1))
    if check != _check(code.print_bits, code.secret):
        raise BadPairingCode("the pairing code has a slip in it: compare it sign by sign")
    return code


def fingerprint_of(certificate: bytes) -> str:
    """SHA-256 of the certificate, hexadecimal: the identity of a paired computer."""
    return hashlib.sha256(certificate).hexdigest()


def print_bits_of(certificate: bytes) -> int:
    """First bits of the certificate's SHA-256."""
    return int(fingerprint_of(certificate)[: PRINT_BITS // 4], 16)


def _check(print_bits: int, secret: int) -> int:
    return hashlib.sha256(f"{print_bits}:{secret}".encode()).digest()[0] & 31
