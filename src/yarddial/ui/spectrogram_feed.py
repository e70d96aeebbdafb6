"""Feed of new columns from the receiver to a pen recorder."""

from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.picture import COLUMN_S, PICTURE_ROWS
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart


class SpectrogramFeed:
    """Feeds one recorder while visible."""

    def __init__(self, recorder: SpectrogramChart, live_receiver: LiveReceiver) -> None:
        self._recorder, self._live_receiver = recorder, live_receiver
        self._picture_id = -1
        recorder.begin(live_receiver.picture.half_span_hz, COLUMN_S, PICTURE_ROWS)

    def draw(self) -> None:
        """Draw new columns; a new picture starts empty, and the last one stays when the receiver stops."""
        if not self._recorder.isVisible():
            return
        dial_columns, self._live_receiver.picture.dial_columns = self._live_receiver.picture.dial_columns, []
        if not dial_columns:
            if self._live_receiver.wanted or not self._recorder.column_count:
                self._picture_id = -1
                self._recorder.begin(self._live_receiver.picture.half_span_hz, COLUMN_S, PICTURE_ROWS)
            return
        for pen in dial_columns:
            if pen.picture_id != self._picture_id:
                self._picture_id = pen.picture_id
                self._recorder.begin(pen.half_span_hz, pen.column_s, pen.level_db.shape[1])
            self._recorder.add(pen.level_db)
