"""Inputs that a turning wheel passes by: whoever scrolls a page changes nothing on it."""

from __future__ import annotations

from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QSlider


class Choice(QComboBox):
    """A drop-down; a wheel over it scrolls the page it lies on."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class NumberBox(QDoubleSpinBox):
    """A number with arrows; a wheel over it scrolls the page it lies on."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class Slider(QSlider):
    """A slider; a wheel over it scrolls the page it lies on."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()
