"""Colours, type and the style sheet: one palette object, light or dark."""

from __future__ import annotations

from dataclasses import asdict
from importlib import resources
from string import Template
from typing import Final

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

from fairmargin.looks import DARK, FAMILY, LIGHT, fonts

_SHEET: Final = Template(
    """
QMainWindow, QDialog, QWidget#page, QScrollArea, QWidget#scrolled { background: $paper; }
QScrollArea { border: none; }
QScrollArea#onpanel, QWidget#scrolledpanel { background: $panel; }
QFrame#panel { background: $panel; border: 1px solid $rule; border-radius: 6px; }
QFrame#panel[next="true"] { border: 2px solid $here; }
QLabel { background: transparent; }
QLabel#title { font-size: 20px; font-weight: 600; }
QLabel#large { font-size: 20px; font-weight: 600; }
QLabel#huge { font-size: 52px; font-weight: 600; }
QLabel#huge[state="caution"] { color: $caution; }
QLabel#tilecaption, QLabel#checkwords { font-size: 15px; color: $muted; }
QLabel#checkwords { color: $ink; }
QLabel#chip { border: 1px solid $rule; border-radius: 9px; padding: 2px 9px; font-size: 13px; color: $muted; }
QLabel#chip[state="live"] { color: $fine; border-color: $fine; }
QLabel#chip[state="lost"] { color: $blocks; border-color: $blocks; font-weight: 600; }
QLabel#prompt { font-size: 19px; font-weight: 600; padding: 8px 14px; border-radius: 6px; background: $band; }
QLabel#prompt[state="now"] { background: $here; color: #1d2a2f; }
QLabel#prompt[state="bad"] { background: $blocks; color: $panel; }
QPushButton#go { background: $ink; color: $panel; border: 1px solid $ink; font-size: 20px; font-weight: 600;
  padding: 12px; border-radius: 6px; }
QPushButton#go:hover { background: $muted; }
QPushButton#go:focus { border: 2px solid $here; }
QPushButton#go:disabled { background: $rule; color: $muted; border-color: $rule; }
QPushButton#event { font-size: 15px; padding: 12px 12px; text-align: left; border-radius: 6px; }
QPushButton#event[on="true"] { background: $caution; color: $panel; border-color: $caution; font-weight: 600; }
QWidget[type="large"] QLabel#huge { font-size: 88px; }
QWidget[type="large"] QLabel#large, QWidget[type="large"] QLabel#prompt { font-size: 26px; }
QWidget[type="large"] QLabel#tilecaption, QWidget[type="large"] QLabel#checkwords { font-size: 19px; }
QWidget[type="large"] QLabel#muted, QWidget[type="large"] QLabel#caution { font-size: 16px; }
QWidget[type="large"] QPushButton#go { font-size: 28px; padding: 20px; }
QWidget[type="large"] QPushButton#event { font-size: 20px; padding: 18px; }
QWidget[type="compact"] QLabel#huge { font-size: 34px; }
QWidget[type="compact"] QLabel#large, QWidget[type="compact"] QLabel#prompt { font-size: 17px; }
QWidget[type="compact"] QLabel#prompt { padding: 4px 16px; }
QWidget[type="compact"] QLabel#tilecaption, QWidget[type="compact"] QLabel#checkwords { font-size: 13px; }
QWidget[type="compact"] QPushButton#go { font-size: 17px; padding: 8px; }
QWidget[type="compact"] QPushButton#event { font-size: 14px; padding: 6px 10px; }
QCheckBox#check::indicator { width: 22px; height: 22px; }
QLabel#heading { font-size: 14px; font-weight: 600; }
QLabel#strong { font-weight: 600; }
QLabel#step { color: $link; }
QLabel#muted, QLabel#unit { color: $muted; font-size: 12px; }
QLabel#fault { color: $blocks; font-size: 12px; }
QLabel#caution { color: $caution; font-size: 12px; }
QLineEdit, QPlainTextEdit, QComboBox, QSpinBox {
  background: $field; border: 1px solid $edge; border-radius: 4px; padding: 3px 6px; min-height: 20px;
  selection-background-color: $baseline; selection-color: $panel; }
QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus { border: 2px solid $here; padding: 2px 5px; }
QLineEdit#inner, QLineEdit#inner:focus { border: none; padding: 0; min-height: 0; background: transparent; }
QLineEdit#cell { padding: 3px 4px; }
QLineEdit#cell:focus { padding: 2px 3px; }
QLineEdit[fault="true"] { border: 2px solid $blocks; padding: 2px 5px; }
QLineEdit:disabled, QLineEdit:read-only { background: $panel; color: $muted; }
QComboBox::drop-down { border: none; width: 22px; }
QComboBox::down-arrow { image: url($arrow); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: $panel; border: 1px solid $edge; selection-background-color: $band;
  selection-color: $ink; }
QPushButton { background: $panel; border: 1px solid $muted; border-radius: 4px; padding: 5px 12px; }
QPushButton:hover { background: $band; }
QPushButton:focus, QToolButton:focus { border: 2px solid $here; }
QPushButton:disabled { color: $muted; border-color: $rule; }
QPushButton#primary { background: $ink; color: $panel; border: 1px solid $ink; font-weight: 600; }
QPushButton#primary:hover { background: $muted; }
QPushButton#primary:focus { border: 2px solid $here; }
QPushButton#primary:disabled { background: $rule; color: $muted; border-color: $rule; }
QPushButton#link { border: none; background: transparent; color: $link; padding: 2px 0; text-align: left;
  font-weight: 500; }
QPushButton#link:hover { text-decoration: underline; }
QPushButton#link:focus { border-bottom: 2px solid $here; }
QToolButton { background: transparent; border: 1px solid $edge; border-radius: 4px; padding: 2px 8px; }
QToolButton:checked { background: $band; border-color: $muted; font-weight: 600; }
QToolButton::menu-indicator { image: none; }
QMenuBar { background: $paper; border-bottom: 1px solid $rule; padding: 1px 6px; }
QMenuBar::item { background: transparent; padding: 4px 8px; border-radius: 4px; }
QMenuBar::item:selected { background: $band; }
QMenu { background: $panel; border: 1px solid $rule; padding: 4px; }
QMenu::item { padding: 5px 22px; border-radius: 4px; background: transparent; }
QMenu::item:selected { background: $band; }
QMenu::item:disabled { color: $muted; }
QMenu::separator { height: 1px; background: $rule; margin: 4px 8px; }
QListWidget, QTableWidget, QTableView { background: $panel; border: 1px solid $rule; border-radius: 6px;
  alternate-background-color: $paper; gridline-color: $rule; }
QListView#studies { background: $paper; }
QListWidget::item { padding: 6px; }
QListWidget::item:selected, QTableView::item:selected { background: $band; color: $ink; }
QHeaderView::section { background: $panel; color: $muted; border: none; border-bottom: 1px solid $rule;
  padding: 4px; font-size: 12px; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar::handle:vertical { background: $edge; border-radius: 4px; min-height: 30px; }
QScrollBar::handle:vertical:hover { background: $muted; }
QScrollBar:horizontal { background: transparent; height: 10px; }
QScrollBar::handle:horizontal { background: $edge; border-radius: 4px; min-width: 30px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QToolTip { background: $rail; color: $rail_ink; border: none; padding: 4px 8px; }
QSlider::groove:horizontal { height: 4px; background: $edge; border-radius: 2px; }
QSlider::handle:horizontal { background: $ink; width: 14px; margin: -6px 0; border-radius: 7px; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid $muted; border-radius: 3px; background: $field; }
QCheckBox::indicator:checked, QTableView::indicator:checked { background: $ink; border-color: $ink; image: url($tick); }
QCheckBox:focus { border: 2px solid $here; border-radius: 4px; }
QCheckBox { border: 2px solid transparent; }
QTableView::indicator { width: 14px; height: 14px; border: 1px solid $muted; border-radius: 3px; background: $field; }
QListWidget:focus, QTableWidget:focus, QTableView:focus { border: 2px solid $here; }
QSlider:focus { border: 2px solid $here; border-radius: 4px; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QMessageBox { dialogbuttonbox-buttons-have-icons: 0; }
QFrame#notice { background: $band; border: none; border-radius: 0; }
"""
)


class Theme(QObject):
    """The current colours; tells when they change."""

    changing = Signal()  # about to change: what is out of sight may go, so that it is not restyled
    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.colours = LIGHT
        self.choice = "desktop"  # desktop, light, dark

    @property
    def dark(self) -> bool:
        """Whether the dark set is in use."""
        return self.colours is DARK

    def colour(self, name: str, alpha: float = 1.0) -> QColor:
        """Return a named colour, with opacity."""
        colour = QColor(getattr(self.colours, name))
        colour.setAlphaF(alpha)
        return colour

    def choose(self, choice: str) -> None:
        """Follow the desktop, or be light or dark, and restyle the application."""
        self.choice = choice
        dark = choice == "dark"
        if choice == "desktop":
            hints = QGuiApplication.styleHints()
            dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
        self.changing.emit()
        self.colours = DARK if dark else LIGHT
        application = QApplication.instance()
        if isinstance(application, QApplication):
            palette = QPalette()
            for role, name in (
                (QPalette.ColorRole.Window, "paper"),
                (QPalette.ColorRole.Base, "field"),
                (QPalette.ColorRole.Text, "ink"),
                (QPalette.ColorRole.WindowText, "ink"),
                (QPalette.ColorRole.ButtonText, "ink"),
                (QPalette.ColorRole.Button, "panel"),
                (QPalette.ColorRole.Highlight, "baseline"),
                (QPalette.ColorRole.PlaceholderText, "muted"),
            ):
                palette.setColor(role, self.colour(name))
            application.setPalette(palette)
            application.setStyleSheet(
                _SHEET.substitute(asdict(self.colours), arrow=_icon("chevron", dark), tick=_icon("tick", dark))
            )
        self.changed.emit()


def _icon(name: str, dark: bool) -> str:
    """Path of an own icon: the chevron of combo boxes, the tick of boxes."""
    file = f"{name}-dark.svg" if dark else f"{name}-light.svg"
    return str(resources.files("fairmargin.desktop.theme") / "icons" / file).replace("\\", "/")


theme = Theme()


def load_fonts() -> None:
    """Register the fonts that ship with the application."""
    for item in fonts().iterdir():
        if item.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(item.read_bytes())


def font(pixels: int, weight: int = 400) -> QFont:
    """Application font with tabular figures."""
    made = QFont(FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight(weight))
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


#: Names of the colours of trials; each has a shape of its own as well, see `widgets.basics.draw_mark`.
TRIAL_COLOURS: Final = ("trial", "trial2", "trial3", "trial4", "trial5")


def trial_colour(index: int) -> str:
    """Name of the colour of the trial with that index (0 is the first)."""
    return TRIAL_COLOURS[index % len(TRIAL_COLOURS)]
