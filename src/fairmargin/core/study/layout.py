"""How runs are laid out: the legs of each run, from what the study compares, how it is driven, its speeds and sectors."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from fairmargin.core.study.leg import Leg
from fairmargin.core.study.values import Study
from fairmargin.core.study.vocabulary import Method

_WAYS: Final[dict[Method, tuple[str, ...]]] = {
    "out-and-back": ("out", "back"),
    "climb": ("out", "back"),
    "one-way": ("out",),
}


def ways(method: Method) -> tuple[str, ...]:
    """Directions of the legs of one run: there and back, one way, or a round."""
    return _WAYS.get(method, ("loop",))


def runs_in_block(sides: int) -> int:
    """Runs that are driven as one block: every side twice."""
    return 2 * max(sides, 2)


def aimed_speeds(study: Study) -> tuple[float | None, ...]:
    """Speeds that the study's legs are aimed at, in their order; (None,) where all have the study's. [km/h]

    Where the speed is the change it belongs to the configurations.
    """
    if study.change.subject == "speed":
        return (None,)
    return tuple(dict.fromkeys(leg.speed_kmh for leg in study.legs)) or (None,)


def sectors_read(study: Study) -> tuple[str, ...]:
    """Sectors that a run is read off by, in the out direction; ("",) where a leg is the whole way."""
    return tuple(dict.fromkeys(leg.sector for leg in study.legs)) or ("",)


def vehicles_beside(study: Study) -> tuple[str, ...]:
    """Vehicles that each drive the whole order; ("",) where one does, where they take turns, or drive side by side."""
    if study.method == "side-by-side" or study.vehicles_take_turns:
        return ("",)
    return tuple(dict.fromkeys(leg.vehicle for leg in study.legs)) or ("",)


def as_planned(leg: Leg, name: str = "") -> Leg:
    """A leg as it was laid out, without anything that was read or noted on it; under another name where one is given."""
    return Leg(
        leg=name or leg.leg,
        run=leg.run,
        block=leg.block,
        configuration=leg.configuration,
        direction=leg.direction,
        vehicle=leg.vehicle,
        speed_kmh=leg.speed_kmh,
        sector=leg.sector,
    )


class Layout:
    """Lays planned legs out, numbering them and their runs on from those that are there.

    Parameters
    ----------
    study : Study
        What is compared and how it is driven; legs it has keep their names.
    fresh : bool
        Whether its legs are to be replaced, so that numbers begin at 1.
    """

    def __init__(self, study: Study, *, fresh: bool = False) -> None:
        self.study = study
        kept = () if fresh else study.legs
        names, runs = {leg.leg for leg in kept}, {leg.run or leg.leg for leg in kept}
        self._legs: Iterator[str] = (f"L{i:02d}" for i in range(1, 100_000) if f"L{i:02d}" not in names)
        self._runs: Iterator[str] = (f"R{i}" for i in range(len(runs) + 1, 100_000) if f"R{i}" not in runs)

    def run(
        self,
        side: str,
        block: str,
        *,
        speed_kmh: float | None = None,
        sectors: Sequence[str] = ("",),
        vehicle: str = "",
    ) -> list[Leg]:
        """Legs of one more run.

        Parameters
        ----------
        side : str
            A value of `Study.lettered`: a configuration, or a vehicle where vehicles take turns.
        block : str
        speed_kmh : float, optional
            Aimed at, where it is not the study's.
        sectors : sequence of str
            In the out direction; back they come in the other order.
        vehicle : str
            Which drives, where several drive the same order.
        """
        study, run = self.study, next(self._runs)
        turns = study.vehicles_take_turns
        configuration = study.baseline.id if turns else side
        driven = [(configuration, side if turns else vehicle)]
        if study.method == "side-by-side" and len(study.vehicles) > 1 and study.trials:
            # What one carries the other does not; swapped, each has carried both.
            other = study.trials[0].id if configuration == study.baseline.id else study.baseline.id
            driven = [(configuration, study.vehicles[0].id), (other, study.vehicles[1].id)]
        return [
            Leg(
                leg=next(self._legs),
                run=run,
                block=block,
                configuration=carried,
                direction=way,
                vehicle=who,
                road=self._road(carried),
                speed_kmh=speed_kmh,
                sector=sector,
            )
            for carried, who in driven
            for way in ways(study.method)
            for sector in (sectors[::-1] if way == "back" else sectors)
        ]

    def _road(self, configuration: str) -> str:
        """State of the road, where that is what is compared."""
        if self.study.change.subject != "road":
            return ""
        return "dry" if configuration == self.study.baseline.id else "wet"


def laid_out_runs(
    study: Study,
    order: str,
    *,
    speeds_kmh: Sequence[float | None] | None = None,
    sectors: Sequence[str] | None = None,
    fresh: bool = True,
) -> list[Leg]:
    """Legs of planned runs in an order.

    At several speeds each letter is driven at all of them before the next swap, up and down in turn: the order holds at
    every speed, with no more swaps.

    Parameters
    ----------
    study : Study
    order : str
        Letters of `Study.lettered`.
    speeds_kmh : sequence, optional
        Speeds of every letter; those of the study's legs when absent.
    sectors : sequence of str, optional
        Sectors of every run; those of the study's legs when absent.
    fresh : bool
        Whether numbers begin at 1; else they go on from the study's legs.

    Raises
    ------
    ValueError
        If the order has letters that stand for nothing.
    """
    pattern, lettered = order.replace(" ", "").upper(), study.lettered
    strange = sorted(set(pattern) - set(lettered))
    if strange:
        few = "is" if len(lettered) == 1 else "are"
        raise ValueError(
            f'"{order}" has {", ".join(strange)}, and there {few} only {", ".join(lettered)}: '
            "A is the baseline, B the first trial"
        )
    speeds = tuple(speeds_kmh) if speeds_kmh is not None else aimed_speeds(study)
    parts = tuple(sectors) if sectors is not None else sectors_read(study)
    made, legs = Layout(study, fresh=fresh), list[Leg]()
    size = runs_in_block(len(lettered))
    first = 0 if fresh else _last_block(study)
    for vehicle in vehicles_beside(study):
        for number, letter in enumerate(pattern):
            block = str(first + number // size + 1)
            for speed in speeds if number % 2 == 0 else speeds[::-1]:
                legs += made.run(lettered[letter], block, speed_kmh=speed, sectors=parts, vehicle=vehicle)
        first += -(-len(pattern) // size)
    return legs


def _last_block(study: Study) -> int:
    """The highest number that a block of the study has."""
    return max((int(leg.block) for leg in study.legs if leg.block.isdigit()), default=0)
