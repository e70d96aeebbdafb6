"""The seven questions and what can be answered; a question that the other answers make needless is left out."""

from collections.abc import Callable
from typing import Literal

import msgspec

from yarddial.session.first_yard.answers import BoxAnswers
from yarddial.yard.demo import DEMO_PARTS
from yarddial.yard.parts import Antenna, Converter, Lnb, Need, Part, Receiver
from yarddial.yard.shelf import shelf

QuestionName = Literal["where", "receiver", "antennas", "between", "feeding", "transceiver", "wishes"]


class Option(msgspec.Struct, frozen=True):
    """One possible answer. more : a line of help below it."""

    key: str
    words: str
    more: str = ""


class Question(msgspec.Struct, frozen=True):
    """A question. takes : the answer's field that its options set; many : more than one option may be chosen."""

    name: QuestionName
    title: str
    why: str
    takes: str
    many: bool = False


QUESTIONS = (
    Question(
        "where", "Where are you?",
        "The country decides bands, channel rasters, the sound of FM broadcasting and the hum of the mains.", "region",
    ),
    Question(
        "receiver", "Which receiver?", "One that answers describes itself; one that is not here is taken by its class.",
        "receiver",
    ),
    Question(
        "antennas", "Which antennas?", "Choose all that you have.", "antennas", True
    ),
    Question(
        "between", "What stands between?",
        "Parts in the line before the receiver. For a converter, copy what its leaflet says: either value will do.",
        "between", True,
    ),
    Question("feeding", "What feeds it?", "Some of these parts need current.", "feeders", True),
    Question(
        "transceiver", "Is there a transceiver?", "What transmits beside a receiver can damage it; Bench checks that.",
        "transmitting",
    ),
    Question("wishes", "What do you want to hear?", "The first of them becomes the dial's frequency.", "wishes", True),
)  # fmt: skip

REGIONS = (
    Option("1", "Region 1", "Europe, Africa, the Middle East, northern Asia"),
    Option("2", "Region 2", "the Americas"),
    Option("3", "Region 3", "southern and eastern Asia, Oceania"),
)
JOININGS = (
    Option("hand", "I move the plug by hand", "You are asked for each move; nothing is measured before it."),
    Option("switch", "by a switch that I turn"),
    Option("sockets", "each has a socket of its own at the receiver"),
)
FEEDERS = {
    "receiver": Option("receiver", "the receiver, through the line", "Its bias feed; off until you switch it on."),
    "injector": Option("injector", "an injector in the line", "Choose the voltage that the part's label says."),
    "wall plug": Option("wall plug", "a wall plug", "The right voltage and polarity are on the part's label."),
    "USB": Option("USB", "the computer, over a USB lead"),
}
TRANSMITTING = (
    Option("none", "No"),
    Option("beside", "Yes, on an antenna of its own"),
    Option("antenna", "Yes, and the receiver hangs on its receive-antenna output"),
    Option("if", "Yes, and the receiver hangs on its IF output"),
)
# Frequency of each wish, hertz, and the mode that its band has.
WISHES: dict[str, tuple[Option, float]] = {
    "time": (Option("time", "Time signals", "10 MHz: the best first station, its frequency is exact"), 10e6),
    "medium wave": (Option("medium wave", "Medium wave broadcasting"), 999e3),
    "short wave": (Option("short wave", "Short-wave broadcasting"), 9.6e6),
    "amateurs HF": (Option("amateurs HF", "Amateurs on short wave"), 7.1e6),
    "FM": (Option("FM", "FM broadcasting"), 98e6),
    "airband": (Option("airband", "The airband"), 125e6),
    "weather satellites": (Option("weather satellites", "Weather satellites"), 137.5e6),
    "amateurs VHF": (Option("amateurs VHF", "Amateurs on VHF and UHF"), 145e6),
    "land": (Option("land", "Land and marine radio"), 156.8e6),
    "1090": (Option("1090", "Aircraft at 1090 MHz"), 1090e6),
    "satellite 10 GHz": (Option("satellite 10 GHz", "The narrow transponder at 10.49 GHz"), 10.4895e9),
}
# Shelf parts that people put into the line, with the words by which they know them.
BETWEEN = (
    Option("Unun 9:1", "9:1 transformer at the wire"),
    Option("Balun 1:1", "1:1 balun at the dipole"),
    Option("Gas arrester", "Gas arrester"),
    Option("High-pass 1.7 MHz", "Filter against medium wave"),
    Option("FM notch", "Filter against FM broadcasting"),
    Option("Wide preamplifier", "Preamplifier, 5 V through its line"),
    Option("Mast preamplifier", "Mast preamplifier, 12 V through its line"),
)


def question(name: QuestionName) -> Question:
    """Question by its name."""
    return next(question for question in QUESTIONS if question.name == name)


def _classes() -> tuple[Part, ...]:
    """Parts of the shelf by class, without those of the demo yard."""
    demo = {part.name for part in DEMO_PARTS}
    return tuple(part for part in shelf() if part.name not in demo)


def antennas() -> tuple[Antenna, ...]:
    """Antennas of the shelf that receive."""
    return tuple(part for part in _classes() if isinstance(part, Antenna) and part.kind != "dummy load")


def converters() -> tuple[Converter | Lnb, ...]:
    """Converters of the shelf."""
    return tuple(part for part in _classes() if isinstance(part, Converter | Lnb))


def receivers() -> tuple[Receiver, ...]:
    """Classes of receivers of the shelf, for one that is not here."""
    return tuple(part for part in _classes() if isinstance(part, Receiver))


def from_shelf(name: str) -> Part | None:
    """Part of the shelf by its name."""
    return next((part for part in shelf() if part.name == name), None)


def needs(answers: BoxAnswers) -> tuple[tuple[Part, Need], ...]:
    """Chosen parts that need current, with what they need; an LNB is fed through its line."""
    needing: list[tuple[Part, Need]] = []
    for name in (*answers.antennas, *answers.between, answers.converter):
        part = from_shelf(name)
        need = getattr(part, "need", None)
        if part is not None and isinstance(need, Need):
            needing.append((part, need))
    return tuple(needing)


def asked(answers: BoxAnswers) -> tuple[Question, ...]:
    """Questions that these answers leave open: nothing feeds parts that need nothing."""
    return tuple(question for question in QUESTIONS if question.name != "feeding" or needs(answers))


def feeder_options(answers: BoxAnswers) -> tuple[Option, ...]:
    """What can feed the chosen parts: through the line, or by a lead of their own."""
    feeds = {need.by for _, need in needs(answers)}
    names = (["receiver", "injector"] if "line" in feeds else []) + (["wall plug", "USB"] if "lead" in feeds else [])
    return tuple(FEEDERS[name] for name in names)


def options(name: QuestionName, answers: BoxAnswers) -> tuple[Option, ...]:
    """Options of a question; none for the receiver, which has a list of its own."""
    plain: dict[str, Callable[[], tuple[Option, ...]]] = {
        "where": lambda: REGIONS,
        "antennas": lambda: tuple(Option(a.name, a.name, a.note) for a in antennas()),
        "between": lambda: BETWEEN,
        "feeding": lambda: feeder_options(answers),
        "transceiver": lambda: TRANSMITTING,
        "wishes": lambda: tuple(option for option, _ in WISHES.values()),
    }
    return plain[name]() if name in plain else ()
