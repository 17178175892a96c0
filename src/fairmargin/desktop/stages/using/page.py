"""What the pages of the Use stage share: the vehicle spoken of, what can be asked of it, settings that outlive a study."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from PySide6.QtWidgets import QVBoxLayout, QWidget

from fairmargin.core.outcome.asking import Askable, Asking, of_vehicle
from fairmargin.core.outcome.money import Prices
from fairmargin.core.result.results import WHOLE
from fairmargin.core.study import NamedVehicle, Study, Vehicle
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import UnitChoice, read_in, read_quantity
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.exchange.words.names import units_of

USUAL_RESERVE: Final = 15.0  # per cent; 10 to 20 is usual
USUAL_KM: Final = 15000.0  # a year


class OwnFigures:
    """Figures of the person's own, kept from study to study: prices, a year's distance, the reserve."""

    def __init__(self, session: Session) -> None:
        self._settings, self._session = session.settings, session

    def known(self, name: str) -> float | None:
        """A figure; None where it was never told."""
        value = self._settings.value(f"use/{name}")
        try:
            return None if value is None or value == "" else float(str(value))
        except ValueError:
            return None

    def number(self, name: str, default: float) -> float:
        """A figure, or what is usual."""
        value = self.known(name)
        return default if value is None else value

    @property
    def reserve(self) -> float:
        """Share of a full battery or tank that is kept."""
        return self.number("reserve", USUAL_RESERVE) / 100.0

    @property
    def fade(self) -> float:
        """Share of the capacity lost since it was told."""
        return self.number("fade", 0.0) / 100.0

    @property
    def km_per_year(self) -> float:
        """Distance of a year. [km]"""
        return self.number("yearly_km", USUAL_KM)

    def prices(self) -> Prices:
        """Every price that was told."""
        return Prices(
            energy=self.known("price"),
            public=self.known("public"),
            public_share=self.number("public_share", 0.0) / 100.0,
            fuel=self.known("price_fuel"),
            road=self.number("road_a_km", 0.0),
        )


class UsePage(QWidget):
    """One page of the Use stage."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.touch = session, touch
        self.own = OwnFigures(session)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(0, 0, 8, 0)
        self.body.setSpacing(12)

    def refresh(self, study: Study) -> None:
        """Redraw from the study."""

    def subtitle(self, study: Study) -> str:
        """What the page speaks of, beside the stage's title."""
        return ""

    @property
    def study(self) -> Study:
        """The study that is open."""
        assert self.session.study is not None
        return self.session.study

    @property
    def vehicle_id(self) -> str:
        """Id of the vehicle that is spoken of; "" for the study's."""
        c = self.session.comparison
        alone = alone_result(self.session.analysis)
        return c.vehicle if c is not None else alone.vehicle if alone is not None else ""

    @property
    def vehicle(self) -> Vehicle:
        """The vehicle that is spoken of."""
        return vehicle_of(self.study, self.vehicle_id)

    @property
    def units(self) -> UnitChoice:
        """Units of that vehicle."""
        return units_of(self.study, self.vehicle_id, self.session.units)

    def trial_of(self, configuration: str) -> int | None:
        """Number of a trial, for its colour and shape; None for the baseline."""
        ids = [t.id for t in self.study.trials]
        return ids.index(configuration) if configuration in ids else None

    def asking(self) -> Asking | None:
        """What can be asked of that vehicle, over the sector that is shown; None where nothing can be, or not yet."""
        found = [a for a in self.session.wanted.askings() or () if a.vehicle == self.vehicle_id]
        c = self.session.comparison
        sector = (c.sector or "") if c is not None else ""
        if sector == WHOLE:
            return None
        return next((a for a in found if a.sector == sector), found[0] if found else None)

    def asking_of_all(self) -> Askable | None:
        """The same over all sectors: each stretch of a way by the one it names or is driven like."""
        return of_vehicle(self.session.wanted.askings() or (), self.vehicle_id)

    def edit_vehicle(self, **changes: Any) -> None:
        """Change a figure of that vehicle; one that cannot be is refused in words."""
        study, own = self.study, self.vehicle
        try:
            changed = own.with_(**changes)
            if isinstance(changed, NamedVehicle):
                fleet = tuple(changed if v.id == changed.id else v for v in study.vehicles)
                after = study.with_(vehicles=fleet)
            else:
                after = study.with_(vehicle=changed)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, next(iter(changes)).split("_")[0]):
            raise ValueError("could not be saved")

    def keep(
        self, name: Callable[[], str], quantity: str = "", unit: str = "", low: float = 0.0, high: float = 1e9
    ) -> Callable[[str], None]:
        """Return a commit that keeps a figure of the person's own; an empty field is not known."""

        def commit(text: str) -> None:
            value: float | str = ""
            if text:
                value = (
                    read_quantity(text, quantity, getattr(self.session.units, quantity))
                    if quantity
                    else read_in(text, unit)
                )
                if not low <= value <= high:
                    raise ValueError(
                        f"expected {low:g} to {high:g}" if high < 1e9 else f"expected a number of {low:g} or more"
                    )
            self.session.settings.setValue(f"use/{name()}", value)
            self.touch()

        return commit
