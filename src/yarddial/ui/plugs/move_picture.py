"""Picture of a move by hand: two sockets, the lead that goes in, and the one that comes out."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.yard.shared_sockets import Move

# Positions as shares of the picture's width: end of the leads' names, the plug's rest, the socket.
NAME_SHARE, PULLED_SHARE, SOCKET_SHARE = 0.3, 0.44, 0.62


class MovePicture(QWidget):
    """Leads on the left, sockets on the right. The move is drawn thick; what it undoes is drawn light and broken."""

    def __init__(self) -> None:
        super().__init__()
        self._move: Move | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Picture of the move")

    def sizeHint(self) -> QSize:
        """Two rows."""
        return QSize(px(560), px(112))

    def show_move(self, move: Move | None) -> None:
        """Show a move; None draws nothing."""
        self._move = move
        self.setAccessibleDescription(move.sentence if move is not None else "")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the two rows."""
        move = self._move
        if move is None:
            return
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        new_y, old_y = self.height() * 0.32, self.height() * 0.76
        socket_y = new_y
        if move.check is not None:
            # Nothing else is known to be there.
            pass
        elif move.lead_in and not move.knob:
            # The same lead comes out of another socket.
            self._socket(painter, c, old_y, move.lead_in, is_used=False)
            self._lead(painter, c, new_y, old_y, move.connection.upstream, is_new=False, named=False)
        elif move.held or (move.knob and move.lead_in):
            other = move.held or move.lead_in
            if move.knob == move.connection.output.part:
                self._socket(painter, c, old_y, other, is_used=False)
                self._lead(painter, c, new_y, old_y, move.connection.upstream, is_new=False, named=False)
            else:
                self._lead(painter, c, old_y, socket_y, other, is_new=False)
        self._lead(painter, c, new_y, socket_y, move.connection.upstream, is_new=True)
        self._socket(painter, c, socket_y, move.connection.downstream, is_used=True)

    def _lead(
        self, painter: QPainter, c: Palette, y: float, to_y: float, name: str, *, is_new: bool, named: bool = True
    ) -> None:
        left, pulled, socket = (self.width() * share for share in (NAME_SHARE, PULLED_SHARE, SOCKET_SHARE))
        pen = QPen(c.colour("spruce" if is_new else "quiet"), px(4) if is_new else px(2))
        if not is_new:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(left, y), QPointF(pulled, y))
        painter.drawLine(QPointF(pulled, y), QPointF(socket - px(26), to_y))
        if is_new:
            painter.fillRect(QRectF(socket - px(30), to_y - px(6), px(26), px(12)), c.colour("spruce"))
        if named:
            painter.setPen(c.colour("ink" if is_new else "quiet"))
            painter.setFont(font(13))
            box = QRectF(0, y - px(16), left - px(10), px(32))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), name)

    def _socket(self, painter: QPainter, c: Palette, y: float, name: str, *, is_used: bool) -> None:
        x = self.width() * SOCKET_SHARE
        painter.setPen(QPen(c.colour("ink" if is_used else "quiet"), px(2)))
        painter.setBrush(c.colour("card"))
        painter.drawRect(QRectF(x, y - px(15), px(30), px(30)))
        painter.drawEllipse(QPointF(x + px(15), y), px(9), px(9))
        painter.setPen(c.colour("ink" if is_used else "quiet"))
        painter.setFont(font(13))
        box = QRectF(x + px(42), y - px(16), self.width() - x - px(42), px(32))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), name)
