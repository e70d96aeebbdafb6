"""The settings card as Markdown and HTML."""

from html import escape

from yarddial.yard.card import LO_SIDES, PITCH_HZ, Card, groupings
from yarddial.yard.frequency import format_frequency, format_hertz, format_number
from yarddial.yard.plain_text import markdown_text


def card_rows(card: Card) -> tuple[tuple[str, str, str], ...]:
    """Rows of the card: name, value, and its possible meanings."""
    whole = card.whole
    rows = [
        *_offsets(card),
        *_oscillator(card),
        *_cw(card),
        (
            "Correction, crystal fast by",
            f"{card.ppm_text(card.crystal_fast_ppm)} ppm",
            "positive raises what the tuner shows",
        ),
        (
            "Correction, shown high by",
            f"{card.ppm_text(card.shown_high_ppm)} ppm",
            "positive lowers what the tuner shows",
        ),
        ("Correction in ppb", format_number(card.crystal_fast_ppb, 0.15, signed=True), "crystal fast"),
        ("Correction as a factor", f"{card.crystal_factor:.12f}", "on what the receiver counts"),
        *_crystal(card),
        (
            "Correction, if the dial is scaled",
            f"{card.ppm_text(card.scaled_dial_ppm, of_dial=True)} ppm",
            "right here only",
        ),
        (
            "Whole ppm only",
            f"{whole.ppm:+d} ppm".replace("-", "−"),
            f"leaves {format_hertz(whole.leftover_hz, 0.1)} here",
        ),
        (
            "Offset with that shift",
            _signed(whole.offset_added_to_dial_hz),
            "added to the dial; right at this place only",
        ),
        *_swapped(card),
        ("Centre to tune to", format_frequency(card.centre_hz), "at the receiver, off its own spike"),
        ("Sample rate", f"{card.rate_hz / 1e6:g} MS/s", ""),
        ("Spectrum", "inverted" if card.sense < 0 else "upright", "swap I/Q on" if card.sense < 0 else "swap I/Q off"),
    ]
    if card.port:
        rows.append(("Receiver's port", card.port, ""))
    if card.zone is not None:
        meaning = f"zone {card.zone}: what is shown is folded" if card.zone else "zone 0: shown as it is"
        rows.append(
            (
                "Direct sampling",
                "on",
                f"{meaning}; takes effect at a restart; silent: take the other branch, I or Q",
            )
        )
    for gain in card.gains:
        shows = "its control reads attenuation" if gain.reads == "attenuation" else "its control reads gain"
        rows.append((f"Gain, stage '{gain.stage}'", gain.control, f"gain {gain.gain_db:g} dB; {shows}"))
    rows += [(name, state, "direct current up the line") for name, state in card.feeds]
    if card.rig is not None:
        rig = card.rig
        rows.append(
            (
                f"{rig.name}'s display",
                format_frequency(rig.display_hz),
                f"in {rig.mode}; the offset holds only while it stands here; the receiver stays at "
                f"{format_frequency(rig.if_hz)}",
            )
        )
    return tuple(rows)


def _offsets(card: Card) -> list[tuple[str, str, str]]:
    """Both conventions of one offset; on an inverted route there is one value: either minus the other."""
    if card.sense < 0:
        meaning = "the tuner is this less the dial: in a program that knows inverted spectra"
        return [("Offset", _signed(card.offset_added_to_dial_hz), meaning)]
    return [
        ("Offset, if added to the dial", _signed(card.offset_added_to_dial_hz), "reaches the tuner"),
        ("Offset, if added to the tuner", _signed(card.offset_added_to_tuner_hz), "reaches the dial"),
    ]


def _oscillator(card: Card) -> list[tuple[str, str, str]]:
    if not card.lo_side:
        return []
    return [("Oscillator, as a positive number", format_frequency(card.lo_hz), f"choose '{LO_SIDES[card.lo_side]}'")]


def _cw(card: Card) -> list[tuple[str, str, str]]:
    if card.cw_dial_hz is None:
        return []
    meaning = f"for a tone of {PITCH_HZ:g} Hz, where the dial is that of single sideband"
    return [("CW, dial of the missing carrier", format_frequency(card.cw_dial_hz), meaning)]


def _crystal(card: Card) -> list[tuple[str, str, str]]:
    if not card.crystal_hz:
        return []
    return [("Crystal, if it is asked for", format_frequency(card.crystal_hz, 3), "as it truly runs")]


def _swapped(card: Card) -> list[tuple[str, str, str]]:
    """An inverted route in a program that can only swap I/Q."""
    if card.sense > 0:
        return []
    meaning = "added to the dial, in a program that knows no inversion; for the centre below only"
    return [("Offset with swap I/Q on", _signed(card.plain_offset_hz), meaning)]


def needed_rows(card: Card) -> tuple[str, ...]:
    """Names of the rows that most programs need: offset and correction, in the convention that most have."""
    offset = ("Offset" if card.sense < 0 else "Offset, if added to the dial",) if card.offset_added_to_dial_hz else ()
    return (*offset, "Correction, crystal fast by")


def card_markdown(card: Card) -> str:
    """Format the settings card as Markdown."""
    title, subtitle = markdown_text(_title(card)), markdown_text(_subtitle(card))
    lines = [f"# {title}", "", subtitle, "", "| set | to | meaning |", "| --- | --- | --- |"]
    lines += [
        f"| {markdown_text(name)} | `{value}` | {markdown_text(meaning)} |" for name, value, meaning in card_rows(card)
    ]
    if card.offset_added_to_dial_hz:
        lines += [
            "",
            "The offset in every grouping: " + ", ".join(f"`{g}`" for g in groupings(card.offset_added_to_dial_hz)),
        ]
    lines += ["", "## Which convention does the program use?", ""]
    lines += [f"- **{markdown_text(what)}** {markdown_text(reading)}" for what, reading in card.tests()]
    return "\n".join(lines) + "\n"


def card_html(card: Card) -> str:
    """Format the settings card as printable HTML."""
    rows = "".join(
        f"<tr><td>{escape(name)}</td><td><b>{escape(value)}</b></td><td>{escape(meaning)}</td></tr>"
        for name, value, meaning in card_rows(card)
    )
    written = (
        ", ".join(escape(g) for g in groupings(card.offset_added_to_dial_hz)) if card.offset_added_to_dial_hz else ""
    )
    tests = "".join(f"<li><b>{escape(what)}</b> {escape(reading)}</li>" for what, reading in card.tests())
    return (
        f"<!doctype html><html lang='en'><head><meta charset='utf-8'><title>{escape(_title(card))}</title>"
        "<style>body{font-family:'IBM Plex Sans',sans-serif;color:#22302B;background:#FFFFFF;max-width:46em}"
        "td{padding:4px 14px 4px 0;border-bottom:1px solid #CFC7B6}"
        "h1,h2{font-family:'Source Serif 4',serif}</style></head>"
        f"<body><h1>{escape(_title(card))}</h1><p>{escape(_subtitle(card))}</p><table>{rows}</table>"
        + (f"<p>The offset in every grouping: {written}</p>" if written else "")
        + f"<h2>Which convention does the program use?</h2><ul>{tests}</ul></body></html>\n"
    )


def _title(card: Card) -> str:
    return f"{card.station}: {format_frequency(card.dial_hz)} over {card.route}"


def _subtitle(card: Card) -> str:
    return f"Receiver {card.receiver}; the tuner stands at {format_frequency(card.tuner_hz)} for this place."


def _signed(hertz: float) -> str:
    text = format_frequency(hertz)
    return f"+{text}" if hertz > 0 else text
