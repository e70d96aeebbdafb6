"""The band overview as a report: CSV for machines, Markdown and HTML for people, with a picture of every band's
dial.
"""

import base64
import csv
import html
import io
from collections.abc import Sequence
from pathlib import PurePath

import msgspec

from yarddial.analysis.board.row import BandRow
from yarddial.yard.errors import NotWritten
from yarddial.yard.frequency import format_bound, format_hertz, format_sigma
from yarddial.yard.plain_text import csv_cell, markdown_text

COLUMNS = ("band", "low_hz", "high_hz", "kind", "route", "reached", "mode", "error_hz", "sigma_hz", "measured",
           "bears_hz", "ghosts", "verdict", "sentence", "todo", "proof_utc", "proof")  # fmt: skip
HEADINGS = ("Band", "Route", "Dial", "Allowed", "Verdict", "Last proof")
SHARES = ("13%", "14%", "12%", "10%", "24%", "19%")
RULES = "Bands as the radio regulations have them: check local rules before you transmit."
# Dimensions of the pictures in their own units; the right half means that the dial reads high.
PICTURE_WIDTH, ROW_HEIGHT, NAME_WIDTH = 300, 22, 130
PAPER_INK, GOOD_INK, WRONG_INK, SPURIOUS_INK, HAIRLINE_INK = "#22302B", "#1E5B4B", "#8A5C0F", "#B73A27", "#CFC7B6"
VERDICT_WORDS = {"good": "right", "look": "look at it", "stop": "out of reach", "unknown": "not known yet"}


class ReportedOscillator(msgspec.Struct, frozen=True):
    """An oscillator as the window shows it: what it is, how far off, known to what, whether entered, what next."""

    title: str
    value: str
    known_to: str
    entered: str
    next_step: str


class Report(msgspec.Struct, frozen=True):
    """State of a station at a moment: routes, oscillators, notes, and then its bands.

    routes : name, parts in their order, and the dial's error where the route asks for most. notes : the latest first.
    """

    station: str
    region: int
    made_utc: str
    rows: tuple[BandRow, ...]
    routes: tuple[tuple[str, str, str], ...] = ()
    oscillators: tuple[ReportedOscillator, ...] = ()
    notes: tuple[str, ...] = ()

    def tables(self) -> tuple[tuple[str, tuple[str, ...], tuple[tuple[str, ...], ...]], ...]:
        """What stands before the bands: title, headings, rows; empty tables are left out."""
        oscillators = tuple((o.title, o.value, o.known_to, o.entered, o.next_step) for o in self.oscillators)
        tables = (
            ("The yard", ("Route", "Parts", "Dial"), self.routes),
            ("Its oscillators", ("Oscillator", "Off by", "Known to", "Entered", "Next"), oscillators),
            ("Notes", ("Note",), tuple((note,) for note in self.notes)),
        )
        return tuple(table for table in tables if table[2])

    @property
    def summary(self) -> str:
        """Number of bands in each state."""
        counts = [(sum(row.mark == mark for row in self.rows), words) for mark, words in VERDICT_WORDS.items()]
        return f"{len(self.rows)} bands: " + ", ".join(f"{count} {words}" for count, words in counts if count) + "."


def report_text(report: Report, name: str) -> str:
    """Write the report in the format of a file's ending; raises NotWritten for an unknown ending."""
    forms = {".html": report_html, ".md": report_markdown, ".csv": report_csv}
    form = forms.get(PurePath(name).suffix.lower())
    if form is None:
        raise NotWritten(f"'{name}' has no ending that tells its form: use .html, .md or .csv, in the window also .pdf")
    return form(report)


def report_csv(report: Report) -> str:
    """Write one line per band; frequencies in hertz without rounding, empty where unknown."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for row in report.rows:
        band, known = row.band, row.state is not None
        writer.writerow(csv_cell(cell) for cell in (
            band.name, band.low_hz, band.high_hz, band.kind, row.route, row.reached, row.mode.key,
            row.error_hz if known else "", row.sigma_hz if known else "", "yes" if row.is_measured else "no",
            row.mode.tolerance_hz, len(row.ghosts), row.mark, row.verdict, row.todo,
            row.proof.at_utc if row.proof else "", row.proof.text if row.proof else "",
        ))  # fmt: skip
    return out.getvalue()


def report_markdown(report: Report) -> str:
    """Write a table and one picture of all bands; the picture's data is at the end, so that the text stays readable."""
    lines = [
        f"# {markdown_text(report.station)}: every band",
        "",
        f"{_moment(report.made_utc)}, region {report.region}. {report.summary}",
        "",
    ]
    for title, headings, cells in report.tables():
        lines += [f"## {title}", "", *_markdown_table(headings, cells), ""]
    lines += ["## Every band", "", *_markdown_table(HEADINGS, tuple(_cells(row) for row in report.rows))]
    lines += ["", f"![Dial error of every band, full width being what its mode allows][dials]\n\n{RULES}", ""]
    return "\n".join([*lines, f"[dials]: {_as_address(dials_svg(report.rows, names=True))}", ""])


def _markdown_table(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> list[str]:
    lines = ["| " + " | ".join(headings) + " |", "|" + " --- |" * len(headings)]
    return [*lines, *("| " + " | ".join(markdown_text(cell) for cell in row) + " |" for row in rows)]


def _html_table(title: str, headings: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    head = "".join(f"<th align='left'>{heading}</th>" for heading in headings)
    body = "".join("<tr>" + "".join(f"<td>{html.escape(cell)}</td>" for cell in row) + "</tr>" for row in rows)
    return f"<h2>{title}</h2><table cellspacing='0' cellpadding='4'><thead><tr>{head}</tr></thead>{body}</table>"


def report_html(report: Report) -> str:
    """Write a self-contained page that prints well."""
    head = "<th></th>"
    head += "".join(f"<th align='left' width='{w}'>{name}</th>" for name, w in zip(HEADINGS, SHARES, strict=True))
    lines = []
    for row in report.rows:
        band, route, dial, bears, verdict, proof = (html.escape(cell) for cell in _cells(row))
        (name, span), (mark, why) = band.rsplit(", ", 1), verdict.split(": ", 1)
        picture = f"<img src='{_as_address(dials_svg((row,)))}' width='120' alt='{html.escape(_error(row))}'>"
        cells = (picture, f"<b>{name}</b><br>{span}", route, dial, bears, f"<b>{mark}</b><br>{why}", proof)
        lines.append("<tr>" + "".join(f"<td>{cell}</td>" for cell in cells) + "</tr>")
    name = html.escape(report.station)
    return (
        f"<!DOCTYPE html><html lang='en'><head><meta charset='utf-8'><title>{name}: every band</title></head>"
        f"<body style='color:{PAPER_INK}'><h1>{name}: every band</h1>"
        f"<p>{_moment(report.made_utc)}, region {report.region}. <b>{report.summary}</b></p>"
        f"{''.join(_html_table(*table) for table in report.tables())}<h2>Every band</h2>"
        "<p>A picture is a dial: thick below where the route reaches, red where a ghost stands, the bar the dial's "
        "error with its uncertainty, the full width what the mode allows.</p>"
        f"<table cellspacing='0' cellpadding='4' width='100%'><thead><tr>{head}</tr></thead>{''.join(lines)}</table>"
        f"<p>{RULES}</p></body></html>\n"
    )


def dials_svg(rows: Sequence[BandRow], *, names: bool = False) -> str:
    """Draw one dial below the other: the middle is no error, the ends are what the mode tolerates."""
    left = NAME_WIDTH if names else 0
    parts = []
    for number, row in enumerate(rows):
        top = ROW_HEIGHT * number
        if names:
            text = f"<text x='0' y='{top + 15}' font-family='sans-serif' font-size='12' fill='{PAPER_INK}'>"
            parts.append(f"{text}{html.escape(row.band.name)}</text>")
        parts += _dial(row, left, top)
    width, height = left + PICTURE_WIDTH, ROW_HEIGHT * len(rows)
    size = f"width='{width}' height='{height}' viewBox='0 0 {width} {height}'"
    return f"<svg xmlns='http://www.w3.org/2000/svg' {size}>{''.join(parts)}</svg>"


def _dial(row: BandRow, left: int, top: int) -> list[str]:
    base, middle, half = top + 14, left + PICTURE_WIDTH / 2, PICTURE_WIDTH / 2
    parts = [_box(left, base, PICTURE_WIDTH, 1, HAIRLINE_INK)]
    if row.state is None:
        return parts
    parts += [
        _box(left, base - 1, PICTURE_WIDTH * row.reached, 3, GOOD_INK),
        _box(middle, top + 1, 1, 12, HAIRLINE_INK),
    ]
    for ghost in row.ghosts:
        share = (ghost.dial_hz - row.band.low_hz) / (row.band.high_hz - row.band.low_hz)
        parts.append(_box(left + share * PICTURE_WIDTH - 2.5, base + 3, 5, 5, SPURIOUS_INK))
    ends = [(row.error_hz + sign * row.sigma_hz) / row.mode.tolerance_hz for sign in (-1, 1)]
    low, high = (middle + half * min(max(end, -1.0), 1.0) for end in ends)
    served = abs(row.error_hz) + 2 * row.sigma_hz <= row.mode.tolerance_hz
    low = min(low, left + PICTURE_WIDTH - 2.0)
    return [*parts, _box(low, top + 3, max(high - low, 2.0), 7, GOOD_INK if served else WRONG_INK)]


def _box(x: float, y: float, width: float, height: float, fill: str) -> str:
    return f"<rect x='{x:.1f}' y='{y:.1f}' width='{width:.1f}' height='{height:.1f}' fill='{fill}'/>"


def _error(row: BandRow) -> str:
    if row.state is None:
        return "out of reach"
    uncertainty = format_sigma(row.sigma_hz)
    return (
        f"{format_hertz(row.error_hz, row.sigma_hz)} {uncertainty}"
        if row.is_measured
        else f"{uncertainty}, not measured"
    )


def _cells(row: BandRow) -> tuple[str, ...]:
    band = row.band
    proof = f"{_moment(row.proof.at_utc)}: {row.proof.text}" if row.proof else "none"
    return (
        f"{band.name}, {format_bound(band.low_hz)} to {format_bound(band.high_hz)}", row.route or "none", _error(row),
        f"{row.mode.name} {format_bound(row.mode.tolerance_hz)}", f"{VERDICT_WORDS[row.mark]}: {row.verdict}", proof,
    )  # fmt: skip


def _moment(at_utc: str) -> str:
    return f"{at_utc[:10]} {at_utc[11:16]} UTC"


def _as_address(svg: str) -> str:
    return "data:image/svg+xml;base64," + base64.b64encode(svg.encode()).decode()
