"""Key bindings in one table: the window obeys it; manual, menu and finder show it."""

import msgspec

from yarddial.yard.places import PLACE_NAMES, PLACES, key_of_place


class KeyBinding(msgspec.Struct, frozen=True):
    """A key and the action it triggers.

    act : the window's name for the action; empty where a focused widget handles the key itself.
    keys : equivalent sequences in Qt's notation. does : description.
    shown : the key as lists write it, where that is not simply the first of `keys`.
    """

    act: str
    keys: tuple[str, ...]
    does: str
    shown: str = ""

    @property
    def text(self) -> str:
        """The key as lists write it."""
        return self.shown or self.keys[0]


KEYS: tuple[KeyBinding, ...] = (
    KeyBinding("toggle the receiver", ("Space",), "start or stop the receiver"),
    KeyBinding("go to the dial", ("/",), "go to the dial and type a frequency in any way"),
    KeyBinding("", ("Left", "Right", "Up", "Down"),
               "nudge the dial by the mode's step; Shift ten steps, Alt a tenth", "← → ↑ ↓"),
    KeyBinding("previous station", ("[",), "previous known station"),
    KeyBinding("next station", ("]",), "next known station"),
    KeyBinding("measure", ("M",), "measure the known station at the dial"),
    KeyBinding("verify", ("V",), "verify: measure it again with the correction entered"),
    KeyBinding("apply", ("Ctrl+Return",), "apply the correction"),
    KeyBinding("show the working", ("W",), "show the working of the dial's error"),
    KeyBinding("show the fit", ("Shift+W",), "show the working of the fit"),
    KeyBinding("show the card", ("C",), "the settings card for this place: what to type into a listening program"),
    KeyBinding("hold the route", ("R",), "hold the route, or let it go"),
    KeyBinding("write a note", ("L",), "write a note in the log"),
    KeyBinding("go to the strip", ("Y",),
               "go to the yard strip; arrows move on it, Enter switches to a route or opens a part"),
    KeyBinding("put a part in", ("A",),
               "put a part into the route: from the shelf, the yard or a file; on the strip, behind the plate"),
    KeyBinding("new route", ("N",), "begin a new route"),
    KeyBinding("", ("Del",), "on a plate: take it out, move it, rename it; its menu has the rest", "Del  Alt+← →  F2"),
    KeyBinding("follow the transceiver", ("F",), "follow the transceiver, leave it where it is, come back to it"),
    KeyBinding("show the transceiver", ("T",),
               "the transceiver: link it, look at what it could do to the receiver, split"),
    KeyBinding("choose the mode", ("D",), "choose the mode by its name"),
    KeyBinding("next clear place above", ("G",), "the next clear place above, wide enough for the channel"),
    KeyBinding("next clear place below", ("Shift+G",), "the next clear place below"),
    KeyBinding("", ("P",), "on a route in Bench: make it the first choice"),
    KeyBinding("begin a yard", ("Ctrl+N",), "begin an empty yard"),
    KeyBinding("open a yard", ("Ctrl+O",), "open a station file; or drop a file on the window"),
    KeyBinding("zoom in", ("+",), "zoom the picture in"),
    KeyBinding("zoom out", ("-",), "zoom the picture out", "−"),
    *(KeyBinding(f"place {place.name}", (key_of_place(place.name),), f"the place {place.name}") for place in PLACES),
    KeyBinding("undo", ("Ctrl+Z",), "undo"),
    KeyBinding("redo", ("Ctrl+Y", "Ctrl+Shift+Z"), "redo"),
    KeyBinding("day or night", ("Ctrl+T",), "day or night"),
    KeyBinding("settings", ("Ctrl+,",), "settings"),
    KeyBinding("find anything", ("Ctrl+K",), "find anything: station, part, route, band, command, or a frequency"),
    KeyBinding("manual", ("F1",), "the manual, at the page of what you look at"),
    KeyBinding("picture only", ("F11",), "picture only"),
    KeyBinding("cancel", ("Esc",), "cancel a measurement, leave a field"),
    KeyBinding("list the keys", ("?",), "this list, which can be searched"),
)  # fmt: skip
_BY_ACT = {binding.act: binding for binding in KEYS if binding.act}


def key_text(act: str) -> str:
    """Key text for an action; raises KeyError for an action without one."""
    return _BY_ACT[act].text


def listed_keys() -> tuple[tuple[str, str], ...]:
    """Keys and what they do, in the manual's order; the places share one row."""
    first, last = key_of_place(PLACE_NAMES[0]), key_of_place(PLACE_NAMES[-1])
    rows: list[tuple[str, str]] = []
    for binding in KEYS:
        if not binding.act.startswith("place "):
            rows.append((binding.text, binding.does))
        elif binding.keys == (first,):
            rows.append((f"{first} … {last}", ", ".join(PLACE_NAMES)))
    return tuple(rows)
