"""Pages of the questions that have options, each with what else belongs to it."""

from collections.abc import Callable
from typing import Any, Protocol

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QWidget

from yarddial.session.first_yard.answers import BoxAnswers, Leaflet
from yarddial.session.first_yard.questions import JOININGS, Question, converters, needs, options
from yarddial.ui.from_the_box.option_page import OptionList, OptionPage, Page
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.words import Words
from yarddial.yard.countries import countries, country_named
from yarddial.yard.parts import Converter

NO_CONVERTER, ANY_SOCKET = "no converter", "the socket that fits"
# Fields of a converter's leaflet: words before it, field, example, accessible name.
LEAFLET_FIELDS = (
    ("its leaflet says: oscillator", "lo", "120 or 125 MHz", "Oscillator of the converter"),
    ("or: a signal at", "heard", "7 MHz", "A frequency at its input"),
    ("comes out at", "comes_out", "132 MHz", "Where that comes out"),
)


class SetAnswer(Protocol):
    """Sets fields of the answers."""

    def __call__(self, **values: Any) -> None:
        """Replace these fields."""
        ...


class QuestionPages:
    """Makes a page for each question."""

    def __init__(self, answers: Callable[[], BoxAnswers], answer: SetAnswer) -> None:
        self._answers, self._answer = answers, answer

    def page(self, question: Question) -> OptionPage:
        """Page with the options of a question, and what else belongs to it."""
        now = getattr(self._answers(), question.takes)
        chosen = now if isinstance(now, tuple) else (str(now),)
        show_more: list[Callable[[], None]] = []

        def taken() -> None:
            keys = listed.chosen()
            if question.name == "where":
                self._answer(region=int(keys[0]), country="")
                country.setCurrentIndex(0)
            else:
                self._answer(**{question.takes: keys if question.many else keys[0]})
            for show in show_more:
                show()

        country = ChoiceBox("Country", at_left=True)
        listed = OptionList(options(question.name, self._answers()), chosen, taken, many=question.many)
        page = OptionPage(listed)
        match question.name:
            case "where":
                self._put_country(page, country, listed)
            case "antennas":
                show_more.append(self._add_joining(page))
            case "between":
                show_more.append(self._add_converter(page))
            case "feeding":
                self._add_needs(page)
            case "transceiver":
                show_more.append(self._add_power(page))
            case "wishes":
                self._add_usual(page)
            case _:
                pass
        for show in show_more:
            show()
        return page

    def _put_country(self, page: Page, country: ChoiceBox, regions: OptionList) -> None:
        """Choice of the country above the regions; it chooses its region."""
        country.addItem("choose, or type its first letters", "")
        for choice in countries():
            country.addItem(choice.name, choice.name)
        country.setCurrentIndex(max(country.findData(self._answers().country), 0))
        follows = Words("", 13, tone="quiet", wrap=True)

        def taken(name: str) -> None:
            chosen = country_named(name)
            if chosen is not None:
                # The list of regions forgets the country when it changes.
                regions.choose(str(chosen.region))
                country.setCurrentIndex(country.findData(chosen.name))
                self._answer(region=chosen.region, country=chosen.name)
            follows.setText(chosen.sentence if chosen is not None else "")

        country.textActivated.connect(taken)
        row = QHBoxLayout()
        row.addWidget(Words("Country", 14))
        row.addWidget(country, 1)
        page.column.insertLayout(0, row)
        for at, widget in enumerate((follows, Words("Or say the region alone", 15, "serif")), 1):
            page.column.insertWidget(at, widget)
        taken(country.currentText())

    def _add_joining(self, page: Page) -> Callable[[], None]:
        words = Words("How does the plug of each get to the receiver?", 15, "serif")

        def joined() -> None:
            self._answer(joining=listed.chosen()[0])

        listed = OptionList(JOININGS, (self._answers().joining,), joined, many=False)
        sockets = QGridLayout()
        for widget in (words, listed):
            page.column.addWidget(widget)
        page.column.addLayout(sockets)

        def after() -> None:
            for widget in (words, listed):
                widget.setVisible(len(self._answers().antennas) > 1)
            empty(sockets)
            receiver = self._answers().receiver
            ports = [port.name for port in receiver.ports] if receiver is not None else []
            if len(ports) > 1:
                for row, antenna in enumerate(self._answers().antennas):
                    self._add_socket(sockets, row, antenna, ports)

        return after

    def _add_socket(self, grid: QGridLayout, row: int, antenna: str, ports: list[str]) -> None:
        """Row for the receiver's socket that an antenna's line goes into."""
        box = ChoiceBox(f"Socket for {antenna}", at_left=True)
        box.addItems([ANY_SOCKET, *ports])
        box.setCurrentText(dict(self._answers().sockets).get(antenna, ANY_SOCKET))

        def take(port: str) -> None:
            others = tuple(pair for pair in self._answers().sockets if pair[0] != antenna)
            self._answer(sockets=others if port == ANY_SOCKET else (*others, (antenna, port)))

        box.textActivated.connect(take)
        grid.addWidget(Words(f"The line of the {antenna} goes into", 13), row, 0)
        grid.addWidget(box, row, 1)
        grid.setColumnStretch(1, 1)

    def _add_converter(self, page: Page) -> Callable[[], None]:
        converter = ChoiceBox("Converter", at_left=True)
        converter.addItems([NO_CONVERTER, *(part.name for part in converters())])
        converter.setCurrentText(self._answers().converter or NO_CONVERTER)
        row = QHBoxLayout()
        row.addWidget(Words("And", 14))
        row.addWidget(converter, 1)
        page.column.addLayout(row)
        leaflet = QWidget()
        line = QHBoxLayout(leaflet)
        line.setContentsMargins(0, 0, 0, 0)
        fields: dict[str, QLineEdit] = {}

        def read(_: str) -> None:
            self._answer(leaflet=Leaflet(**{name: field.text() for name, field in fields.items()}))

        for words, name, example, spoken in LEAFLET_FIELDS:
            field = fields[name] = QLineEdit(getattr(self._answers().leaflet, name))
            field.setFont(font(13, "mono"))
            field.setPlaceholderText(example)
            field.setAccessibleName(spoken)
            field.textEdited.connect(read)
            line.addWidget(Words(words, 13))
            line.addWidget(field, 1)
        page.column.addWidget(leaflet)

        def after() -> None:
            part = next((part for part in converters() if part.name == self._answers().converter), None)
            leaflet.setVisible(isinstance(part, Converter))

        def taken(name: str) -> None:
            self._answer(converter="" if name == NO_CONVERTER else name)
            after()

        converter.textActivated.connect(taken)
        return after

    def _add_needs(self, page: Page) -> None:
        for part, need in needs(self._answers()):
            through = "through its line" if need.by == "line" else "by a lead of its own"
            page.column.addWidget(Words(f"{part.name} needs {need.text} {through}.", 13, wrap=True))
        care = "No bias feed is switched on by this. Check polarity and voltage on each label first."
        page.column.addWidget(Words(care, 13, tone="ochre", wrap=True))

    def _add_power(self, page: Page) -> Callable[[], None]:
        row = QHBoxLayout()
        watts = QLineEdit(self._answers().transmit_power)
        watts.setFont(font(13, "mono"))
        watts.setAccessibleName("Watts that it transmits at most")
        watts.setMaximumWidth(px(110))
        words = Words("at most", 13)
        row.addWidget(watts)
        row.addWidget(words, 1)
        page.column.addLayout(row)
        watts.textEdited.connect(lambda text: self._answer(transmit_power=text))

        def after() -> None:
            for widget in (watts, words):
                widget.setVisible(self._answers().transmitting != "none")

        return after

    def _add_usual(self, page: Page) -> None:
        usual = QCheckBox("Add the world's standard frequencies as known stations")
        usual.setFont(font(13))
        usual.setChecked(self._answers().with_usual)
        usual.toggled.connect(lambda on: self._answer(with_usual=on))
        page.column.addWidget(usual)
