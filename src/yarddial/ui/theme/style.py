"""The style sheet: paper, hairlines, one strong colour."""

from PyQt6.QtGui import QPalette
from PyQt6.QtWidgets import QApplication

from yarddial.ui.theme import lettering
from yarddial.ui.theme.lettering import px
from yarddial.ui.theme.palette import Palette, use


def apply(app: QApplication, chosen: Palette) -> None:
    """Apply a palette to the application and repaint it."""
    use(chosen)
    app.setFont(lettering.font(13))
    app.setPalette(_qt_palette(chosen))
    app.setStyleSheet(_sheet(chosen))
    for widget in app.allWidgets():
        widget.update()


def _qt_palette(c: Palette) -> QPalette:
    colours = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "paper"),
        (QPalette.ColorRole.Base, "card"),
        (QPalette.ColorRole.AlternateBase, "paper"),
        (QPalette.ColorRole.WindowText, "ink"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.Button, "card"),
        (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.PlaceholderText, "quiet"),
        (QPalette.ColorRole.Highlight, "spruce"),
        (QPalette.ColorRole.HighlightedText, "on_spruce"),
        (QPalette.ColorRole.ToolTipBase, "card"),
        (QPalette.ColorRole.ToolTipText, "ink"),
    ):
        colours.setColor(role, c.colour(name))
    return colours


def _sheet(c: Palette) -> str:
    radius, pad = px(4), px(7)
    return f"""
    QWidget {{ color: {c.ink}; }}
    QMainWindow, QDialog, #paper {{ background: {c.paper}; }}
    QToolTip {{ background: {c.card}; color: {c.ink}; border: 1px solid {c.hairline}; padding: {px(4)}px; }}
    QLabel[tone="quiet"] {{ color: {c.quiet}; }}
    QLabel[tone="ochre"] {{ color: {c.ochre}; }}
    QLabel[tone="vermilion"] {{ color: {c.vermilion}; }}
    QLabel[tone="spruce"] {{ color: {c.spruce}; }}
    QPushButton {{ background: {c.card}; border: 1px solid {c.spruce}; border-radius: {radius}px;
        color: {c.spruce}; padding: {pad}px {px(16)}px; }}
    QPushButton:hover {{ background: {c.paper}; }}
    QPushButton:focus {{ border: 2px solid {c.slate}; padding: {pad - 1}px {px(15)}px; }}
    QPushButton:disabled {{ color: {c.quiet}; border-color: {c.hairline}; background: transparent; }}
    QPushButton[strong="true"] {{ background: {c.spruce}; color: {c.on_spruce}; }}
    QPushButton[strong="true"]:disabled {{ background: transparent; color: {c.quiet}; }}
    QPushButton[plain="true"] {{ border: none; background: transparent; padding: {px(3)}px {px(6)}px; }}
    QPushButton[plain="true"]:hover, QPushButton[plain="true"]:focus {{ text-decoration: underline; }}
    QPushButton[track="true"] {{ border-radius: 0; border-bottom: {px(3)}px solid transparent; color: {c.quiet}; }}
    QPushButton[track="true"]:hover, QPushButton[track="true"]:focus {{ text-decoration: none;
        border-bottom: {px(3)}px solid {c.hairline}; }}
    QPushButton[track="true"][chosen="true"] {{ border-bottom: {px(3)}px solid {c.spruce}; color: {c.ink}; }}
    QPushButton#haltName {{ padding: 0 0 {px(2)}px 0; color: {c.ink}; text-align: left; }}
    QMenu {{ background: {c.card}; border: 1px solid {c.hairline}; padding: {px(4)}px 0; }}
    QMenu::item {{ padding: {px(5)}px {px(22)}px; }}
    QMenu::item:selected {{ background: {c.spruce}; color: {c.on_spruce}; }}
    QLineEdit {{ background: transparent; border: none; border-bottom: 1px solid {c.hairline};
        padding: {px(2)}px {px(1)}px; selection-background-color: {c.spruce}; }}
    QLineEdit:hover {{ border-bottom-color: {c.quiet}; }}
    QLineEdit:focus {{ border-bottom: 2px solid {c.spruce}; background: {c.card}; }}
    QLineEdit[wrong="true"] {{ border-bottom: 2px solid {c.vermilion}; }}
    QComboBox {{ background: transparent; border: none; border-bottom: 1px solid {c.hairline};
        padding: {px(2)}px {px(4)}px; }}
    QComboBox:focus {{ border-bottom: 2px solid {c.spruce}; }}
    QComboBox::drop-down {{ border: none; width: {px(14)}px; }}
    QComboBox::down-arrow {{ image: none; border-left: {px(4)}px solid transparent;
        border-right: {px(4)}px solid transparent; border-top: {px(5)}px solid {c.quiet}; width: 0; height: 0; }}
    QComboBox QAbstractItemView {{ background: {c.card}; border: 1px solid {c.hairline}; outline: none;
        selection-background-color: {c.spruce}; selection-color: {c.on_spruce}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QListWidget {{ background: transparent; border: none; outline: none; }}
    QListWidget#matches::item {{ padding: {px(4)}px {px(6)}px; }}
    QScrollBar:vertical {{ background: transparent; width: {px(8)}px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {c.hairline}; border-radius: {px(4)}px; min-height: {px(30)}px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: {px(8)}px; }}
    QScrollBar::handle:horizontal {{ background: {c.hairline}; border-radius: {px(4)}px; min-width: {px(30)}px; }}
    QCheckBox, QRadioButton {{ spacing: {px(8)}px; }}
    QCheckBox::indicator, QRadioButton::indicator {{ width: {px(12)}px; height: {px(12)}px; background: {c.card};
        border: {px(1.4)}px solid {c.quiet}; }}
    QCheckBox::indicator {{ border-radius: {px(2)}px; }}
    QRadioButton::indicator {{ border-radius: {px(1.4) + px(12) / 2}px; }}
    QCheckBox::indicator:checked {{ background: {c.spruce}; border-color: {c.spruce}; }}
    QRadioButton::indicator:checked {{ border: {px(4)}px solid {c.spruce}; width: {px(12) + 2 * px(1.4) - 2 * px(4)}px;
        height: {px(12) + 2 * px(1.4) - 2 * px(4)}px; }}
    QCheckBox::indicator:focus, QRadioButton::indicator:focus {{ border-color: {c.slate}; }}
    QCheckBox::indicator:disabled, QRadioButton::indicator:disabled {{ background: transparent;
        border-color: {c.hairline}; }}
    QCheckBox:focus, QRadioButton:focus {{ text-decoration: underline; }}
    QFrame[hairline="true"] {{ background: {c.hairline}; border: none; }}
    """
