"""Use: what the result means in range, money, and on a trip."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from PySide6.QtWidgets import QStackedWidget, QWidget

from fairmargin.core.study import Study
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.stages.using.page import UsePage
from fairmargin.desktop.stages.using.range_page import RangePage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import page_buttons, scrolling

if TYPE_CHECKING:
    from fairmargin.desktop.stages.using.trip_page import TripPage

PAGES: Final = (("range", "Range"), ("money", "Money"), ("trip", "Trip"), ("gauge", "Gauge"))


class UseStage(Stage):
    """Pages of what a result means; each is built when first seen."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Use", parent)
        self.buttons = page_buttons(self, PAGES, self.show_page)
        for button in self.buttons.values():
            self.head.addWidget(button)
        self.stack = QStackedWidget()
        self.page.addWidget(self.stack, 1)
        self.pages: dict[str, UsePage] = {}
        self._places: dict[str, QWidget] = {}
        self.shown = "range"
        self.show_page("range")

    def show_page(self, name: str) -> None:
        """Turn to a page."""
        self._built(name)
        self.buttons[name].setChecked(True)
        self.stack.setCurrentWidget(self._places[name])
        self.shown = name
        self.touch()

    def page_named(self, name: str) -> UsePage:
        """A page, built where it was not yet."""
        there = name in self.pages
        page = self._built(name)
        if not there and self.session.study is not None:
            page.refresh(self.session.study)
        return page

    def _built(self, name: str) -> UsePage:
        """A page; one that is new shows nothing before its first refresh."""
        if name not in self.pages:
            page = self.pages[name] = _maker(name)(self.session, self.touch)
            self._places[name] = scrolling(page)
            self.stack.addWidget(self._places[name])
        return self.pages[name]

    @property
    def range(self) -> RangePage:
        """The page of ranges."""
        page = self.page_named("range")
        assert isinstance(page, RangePage)
        return page

    @property
    def trip(self) -> TripPage:
        """The page of the trip."""
        from fairmargin.desktop.stages.using.trip_page import TripPage

        page = self.page_named("trip")
        assert isinstance(page, TripPage)
        return page

    def refresh(self, study: Study) -> None:
        page = self.pages[self.shown]
        page.refresh(study)
        self.subtitle.setText(page.subtitle(study))


def _maker(name: str) -> type[UsePage]:
    """Class of a page; the larger ones are loaded when they are wanted."""
    if name == "range":
        return RangePage
    if name == "money":
        from fairmargin.desktop.stages.using.money_page import MoneyPage

        return MoneyPage
    if name == "trip":
        from fairmargin.desktop.stages.using.trip_page import TripPage

        return TripPage
    from fairmargin.desktop.stages.using.gauge_page import GaugePage

    return GaugePage
