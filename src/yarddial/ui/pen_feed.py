"""New columns from the reception to a pen recorder."""

from yarddial.session.reception import COLUMN_S, ROWS, Reception
from yarddial.ui.widgets.pen_recorder import PenRecorder


class PenFeed:
    """One recorder's way to the pens; whoever is visible takes them."""

    def __init__(self, recorder: PenRecorder, reception: Reception) -> None:
        self._recorder, self._reception = recorder, reception
        self._picture_id = -1
        recorder.begin(reception.half_span_hz, COLUMN_S, ROWS)

    def draw(self) -> None:
        """Add what is new; a new picture begins on an empty page, the last one stays when the receiver stops."""
        if not self._recorder.isVisible():
            return
        pens, self._reception.pens = self._reception.pens, []
        if not pens:
            if self._reception.wanted or not self._recorder.column_count:
                self._picture_id = -1
                self._recorder.begin(self._reception.half_span_hz, COLUMN_S, ROWS)
            return
        for pen in pens:
            if pen.picture_id != self._picture_id:
                self._picture_id = pen.picture_id
                self._recorder.begin(pen.half_span_hz, pen.column_s, pen.level_db.shape[1])
            self._recorder.add(pen.level_db)
