"""The sheet "What have you got?": seven questions, a drawing that grows with the answers, and what it can do."""

from collections.abc import Callable
from functools import partial

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.first_yard.answers import BoxAnswers, Leaflet
from yarddial.session.first_yard.building import built
from yarddial.session.first_yard.questions import Question, asked
from yarddial.session.first_yard.summary import summary_of
from yarddial.session.session import Session
from yarddial.ui.from_the_box.option_page import OptionPage, Page
from yarddial.ui.from_the_box.question_pages import QuestionPages
from yarddial.ui.from_the_box.receiver_page import ReceiverPage
from yarddial.ui.from_the_box.yard_drawing import YardDrawing
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import format_bound
from yarddial.yard.station import Station


class FromTheBox(Sheet):
    """One question at a time; each can be skipped, and nothing is built before the last page."""

    manual_page = "evening"

    def __init__(
        self, parent: QWidget, session: Session, show_demo: Callable[[], object], open_file: Callable[[], object],
        begin: Callable[[Station], bool], built: Callable[[], object],
    ) -> None:  # fmt: skip
        """begin : open a yard of its own with this station in a new window; False where there are no files to begin."""
        super().__init__(parent, "What have you got?", 900)
        self._session, self._begin, self._built = session, begin, built
        self.answers = BoxAnswers(region=session.desk.station.region, country=session.desk.station.country)
        self._at = 0
        self.count = Words("", 13, tone="quiet")
        self.headline = Headline()
        self.receiver = ReceiverPage(session.receiver_choice, self._receiver_changed)
        self._pages = QuestionPages(lambda: self.answers, self._answer)
        self._holder = QVBoxLayout()
        self.drawing = YardDrawing()
        self.back = button("Back")
        self.skip = button("Skip this")
        self.next = button("Next", strong=True)
        self.build = button("Build this yard", strong=True)
        self._is_into_open = False
        for pressed, act in (
            (self.back, partial(self._step, -1)), (self.skip, self._skip), (self.next, partial(self._step, 1)),
            (self.build, self._build),
        ):  # fmt: skip
            pressed.clicked.connect(partial(self._pressed, act))
        self._lay_out(show_demo, open_file)
        self._show_soon = Soon(self, self._show_receiver)
        choice = session.receiver_choice
        self.when_left(choice.on_choice_changed(self._show_soon), choice.leave)
        choice.search()
        self._show()

    def _lay_out(self, show_demo: Callable[[], object], open_file: Callable[[], object]) -> None:
        self.body.setSpacing(px(10))
        for widget in (self.count, self.headline):
            self.body.addWidget(widget)
        self.body.addLayout(self._holder)
        self.body.addStretch()
        foot = QHBoxLayout()
        self.receiver.hide()
        below = QWidget()
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(hairline())
        column.addWidget(self.drawing)
        self.add_foot(foot, below)
        demo = button("Look at the demo yard instead", plain=True)
        demo.clicked.connect(self._leave_for(show_demo))
        file = button("Open a file", plain=True)
        file.clicked.connect(self._leave_for(open_file))
        self.elsewhere = (demo, file)
        for at, choice in enumerate(self.elsewhere):
            self.buttons.insertWidget(at, choice)
        for choice in (self.back, self.skip, self.next, self.build):
            self.buttons.addWidget(choice)
        self.next.setDefault(True)
        self.resize(px(900), px(760))

    @property
    def question(self) -> Question | None:
        """Question shown; None on the last page."""
        questions = asked(self.answers)
        return questions[self._at] if self._at < len(questions) else None

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Stop discovering when hidden."""
        self._session.receiver_choice.leave()
        super().hideEvent(event)

    def _leave_for(self, act: Callable[[], object]) -> Callable[[], None]:
        def leave() -> None:
            self.close()
            act()

        return leave

    def _pressed(self, act: Callable[[], object], _checked: bool = False) -> None:
        act()

    def _answer(self, **values: object) -> None:
        self.answers = msgspec.structs.replace(self.answers, **values)
        self._draw()

    def _step(self, step: int) -> None:
        """Next or previous question; a leaflet that cannot be keeps its page."""
        if step > 0 and not self._draw():
            return
        self._at = min(max(self._at + step, 0), len(asked(self.answers)))
        self._show()

    def _skip(self) -> None:
        """Leave the question without an answer, also one that was begun."""
        question = self.question
        if question is not None:
            default = msgspec.structs.asdict(BoxAnswers())[question.takes]
            more = {"converter": "", "leaflet": Leaflet()} if question.name == "between" else {}
            self._answer(**{question.takes: default}, **more)
        self._step(1)

    def _receiver_changed(self) -> None:
        self._answer(receiver=self.receiver.receiver())
        self._show_receiver()

    def _draw(self) -> bool:
        """Draw what the answers describe; show why it cannot be built, and return whether it can."""
        try:
            self.drawing.show_station(built(Station(""), self.answers))
        except YardDialError as error:
            sentence = str(error)
            self.headline.show_verdict("stop", f"{sentence[:1].upper()}{sentence[1:]}.", "Correct it, or skip this.")
            return False
        if self.question is not None and self.question.name != "receiver":
            self.headline.show_verdict("unknown", self.question.title, self.question.why)
        return True

    def _show(self) -> None:
        """Show the question, or what is about to be built."""
        question, questions = self.question, asked(self.answers)
        self.receiver.hide()
        self._holder.removeWidget(self.receiver)
        self.receiver.setParent(self)
        empty(self._holder)
        self.back.setVisible(self._at > 0)
        for widget in self.elsewhere:
            widget.setVisible(self._at == 0)
        self.skip.setVisible(question is not None)
        self.next.setVisible(question is not None)
        self.build.setVisible(question is None)
        self.count.setText(f"Question {self._at + 1} of {len(questions)}" if question is not None else "Your yard")
        if question is None:
            self._show_summary()
            return
        self._draw()
        if question.name == "receiver":
            page: QWidget = self.receiver
            self._show_receiver()
        else:
            page = self._pages.page(question)
        self._holder.addWidget(page)
        page.show()
        if isinstance(page, OptionPage):
            page.focus_first()
        self.next.setDefault(True)

    def _show_receiver(self) -> None:
        """What is plugged in, and how far the question of the chosen one has got."""
        if self.question is None or self.question.name != "receiver":
            return
        choice, part = self._session.receiver_choice, self.answers.receiver
        self.receiver.show_found()
        if choice.is_asking:
            self.headline.show_verdict("unknown", "Asking the receiver what it can.", "It is opened for a moment.")
        elif choice.trouble and part is None:
            sentence = f"{choice.trouble[:1].upper()}{choice.trouble[1:]}."
            self.headline.show_verdict("stop", sentence, "Choose another, or put that right and choose it again.")
        elif part is not None:
            span = f"It tunes {format_bound(part.tuner_low_hz)} to {format_bound(part.tuner_high_hz)}."
            self.headline.show_verdict("good", f"The receiver is {part.name}.", span)
        else:
            self.headline.show_verdict("unknown", self.question.title, self.question.why)
        self.next.setEnabled(not choice.is_asking)

    def _show_summary(self) -> None:
        """The verdict on what is about to be built."""
        page = Page()
        station = built(Station(""), self.answers)
        summary = summary_of(station, self.answers)
        self.drawing.show_station(station)
        self.headline.show_verdict(summary.mark, summary.headline, "Nothing is built before you say so.")
        for mark, words in (*summary.wishes, *summary.findings):
            row = QHBoxLayout()
            sign = MarkSign(size=11)
            sign.set_mark(mark)
            row.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(Words(words, 13, wrap=True), 1)
            page.column.addLayout(row)
        for caution in summary.cautions:
            page.column.addWidget(Words(caution, 12, tone="ochre", wrap=True))
        open_yard = self._session.desk.station
        if open_yard.parts:
            into = QCheckBox(f"Add it to {open_yard.name}, the yard that is open, instead of a yard of its own")
            into.setFont(font(13))
            into.setChecked(self._is_into_open)
            into.toggled.connect(self._choose_into_open)
            page.column.addWidget(into)
        self._holder.addWidget(page)
        self.build.setEnabled(bool(station.parts))
        self.build.setDefault(True)
        self.build.setFocus()

    def _choose_into_open(self, on: bool) -> None:
        self._is_into_open = on

    def _build(self) -> None:
        """A yard of its own, unless the open one is empty or the person wants it added to that."""
        desk = self._session.desk
        is_own = bool(desk.station.parts) and not self._is_into_open
        try:
            if is_own:
                if self._begin(built(Station("My yard"), self.answers)):
                    self.close()
                else:
                    self.headline.show_verdict(
                        "stop",
                        "There is no place for another yard's file here.",
                        f"{desk.station.name} stays as it is.",
                    )
                return
            desk.edit("from the box", built(desk.station, self.answers))
        except YardDialError as error:
            sentence = str(error)
            self.headline.show_verdict("stop", f"{sentence[:1].upper()}{sentence[1:]}.", "Nothing was built.")
            return
        self.close()
        self._built()
