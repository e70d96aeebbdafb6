"""A serving computer announced in the local network (DNS-SD over multicast DNS, RFC 6763), and those that are found.

An announcement saves typing an address. Nothing in it is believed: pairing compares the certificate with the code.
"""

import time
from typing import TYPE_CHECKING

import msgspec

from yarddial.yard.errors import DeviceBusy
from yarddial.yard.plain_text import one_line

if TYPE_CHECKING:
    from zeroconf import ServiceInfo, Zeroconf

SERVICE = "_yarddial._tcp.local."
# Digits of the certificate's fingerprint that are announced, to be compared by eye.
MARK_DIGITS = 12
MAX_NAME_LETTERS, MAX_FOUND = 40, 50
ASKS_MS = 1_500


class AnnouncedComputer(msgspec.Struct, frozen=True):
    """What a computer says of itself. mark : first digits of its certificate's fingerprint, as it claims."""

    name: str
    host: str
    port: int
    mark: str

    @property
    def place(self) -> str:
        """Address as it is typed for pairing."""
        return f"[{self.host}]:{self.port}" if ":" in self.host else f"{self.host}:{self.port}"


class Announcement:
    """Announces a serving computer until it is closed."""

    def __init__(self, name: str, port: int, fingerprint: str, addresses: tuple[str, ...] = ()) -> None:
        """addresses : on which it is reached; those of this computer by default. Raises DeviceBusy."""
        from socket import gethostname

        from zeroconf import NonUniqueNameException, ServiceInfo, Zeroconf

        label = one_line(name).replace(".", " ")[:MAX_NAME_LETTERS] or "a computer"
        # Two computers of one name differ in their certificates.
        mark = fingerprint[:MARK_DIGITS]
        info = ServiceInfo(
            SERVICE, f"{label} {mark[:4]}.{SERVICE}", port=port, properties={"name": label, "mark": mark},
            server=f"{gethostname()}.local.", parsed_addresses=list(addresses) or _own_addresses(),
        )  # fmt: skip
        try:
            self._zeroconf = Zeroconf()
        except OSError as error:
            raise DeviceBusy(f"nothing can be announced in this network: {error.strerror or error}") from error
        try:
            self._zeroconf.register_service(info)
        except NonUniqueNameException as error:
            self._zeroconf.close()
            raise DeviceBusy("another computer announces this name: end it, or serve without --announce") from error

    def close(self) -> None:
        """Say goodbye."""
        self._zeroconf.unregister_all_services()
        self._zeroconf.close()


def announced_computers(seconds_s: float) -> tuple[AnnouncedComputer, ...]:
    """Computers that announce themselves within a time, by name; for a thread."""
    from zeroconf import ServiceBrowser, ServiceListener, Zeroconf

    names: set[str] = set()

    class Listener(ServiceListener):
        def add_service(self, zc: "Zeroconf", type_: str, name: str) -> None:
            if len(names) < MAX_FOUND:
                names.add(name)

        def update_service(self, zc: "Zeroconf", type_: str, name: str) -> None:
            self.add_service(zc, type_, name)

        def remove_service(self, zc: "Zeroconf", type_: str, name: str) -> None:
            names.discard(name)

    try:
        network = Zeroconf()
    except OSError as error:
        raise DeviceBusy(f"this network cannot be searched: {error.strerror or error}; type the address") from error
    try:
        browser = ServiceBrowser(network, SERVICE, Listener())
        time.sleep(seconds_s)
        browser.cancel()
        infos = [network.get_service_info(SERVICE, name, ASKS_MS) for name in sorted(names)]
        computers = [computer_in(info) for info in infos if info is not None]
    finally:
        network.close()
    ours = [computer for computer in computers if computer is not None]
    return tuple(sorted(ours, key=lambda computer: (computer.name, computer.mark)))


def computer_in(info: "ServiceInfo") -> AnnouncedComputer | None:
    """Read an announcement; None for one that is none of ours. Its texts are another computer's, and made plain."""
    raw = info.decoded_properties
    mark = (raw.get("mark") or "").lower()
    name = one_line(raw.get("name") or "")[:MAX_NAME_LETTERS]
    addresses = info.parsed_scoped_addresses()
    is_mark = len(mark) == MARK_DIGITS and all(sign in "0123456789abcdef" for sign in mark)
    if not (name and is_mark and addresses and info.port and 0 < info.port < 1 << 16):
        return None
    return AnnouncedComputer(name, addresses[0], info.port, mark)


def _own_addresses() -> list[str]:
    """Addresses of this computer, without its loopback."""
    from ifaddr import get_adapters

    places = [ip.ip if isinstance(ip.ip, str) else ip.ip[0] for adapter in get_adapters() for ip in adapter.ips]
    outside = [place for place in places if not place.startswith(("127.", "::1", "fe80:"))]
    return outside or ["127.0.0.1"]
