"""Import and export of observations."""

from pathlib import Path

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.page import MethodPage
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import button
from yarddial.yard.plain_text import count_of

INTRODUCTION_TEXT = (
    "A CSV file whose first line names reference_hz, reference_sigma_hz, measured_hz, sigma_hz and through. Through "
    "is empty for a route without a converter, else the value entered when it was measured, such as sum:120M. Rows "
    "that name no parts count for the active route. What is written here comes back whole."
)


class FromFile(MethodPage):
    """Page for observation files: one path to read, one to write."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "From a file, and into one", INTRODUCTION_TEXT)
        self.source = PathField("File to read", "path of a .csv", kinds="Observations (*.csv)")
        self.target = PathField("File to write", writes=True, kinds="Observations (*.csv)")
        self.target.setText(str(Path.home() / "observations.csv"))
        read, write = button("Read", strong=True), button("Write")
        read.clicked.connect(self.read)
        write.clicked.connect(self.write)
        self.source.returnPressed.connect(self.read)
        self.target.returnPressed.connect(self.write)
        self.fields([("Read", self.source, read), ("Write", self.target, write)])

    def read(self) -> None:
        """Read the file."""
        counts: list[int] = []
        path = self.source.path or Path()
        if self.attempt(lambda: counts.append(self.session.other_methods.read_file(path))):
            self.tell(f"{count_of(counts[0], 'observation')} taken from {path.name}")

    def write(self) -> None:
        """Write the current observations."""
        counts: list[int] = []
        path = self.target.path or Path()
        if self.attempt(lambda: counts.append(self.session.other_methods.write_file(path))):
            self.tell(f"{count_of(counts[0], 'observation')} in {path}")
