"""Colours and type of window, reports and cards alike; knows no toolkit."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources
from importlib.resources.abc import Traversable
from typing import Final

FAMILY: Final = "Atkinson Hyperlegible Next"


@dataclass(frozen=True, slots=True)
class Colours:
    """One set of colours: text keeps 4.5:1 on paper, panel and band; edges of inputs, bands and the ring of the keys keep 3:1."""

    paper: str
    panel: str
    ink: str
    muted: str
    rule: str
    rail: str
    rail_ink: str
    rail_muted: str
    baseline: str
    trial: str
    trial2: str
    trial3: str
    trial4: str
    trial5: str
    fine: str
    caution: str
    blocks: str
    here: str
    field: str
    band: str
    link: str
    edge: str

    @property
    def trials(self) -> tuple[str, ...]:
        """Colours of trials, the first trial's first; from the sixth on they begin again."""
        return self.trial, self.trial2, self.trial3, self.trial4, self.trial5


LIGHT: Final = Colours(
    paper="#f4f1ea", panel="#fffdf8", ink="#1d2a2f", muted="#566469", rule="#dcd6c9", rail="#23383d",
    rail_ink="#f4f1ea", rail_muted="#b4c0c2", baseline="#2d5b87", trial="#ac4b16", trial2="#6a4c93",
    trial3="#2f7f6f", trial4="#a83a78", trial5="#6b6a14", fine="#376f44", caution="#845a08", blocks="#a4342b", here="#a67b00", field="#ffffff",
    band="#e8e3d8", link="#2d5b87", edge="#857f73",
)  # fmt: skip
DARK: Final = Colours(
    paper="#171d20", panel="#20282c", ink="#e9ece8", muted="#98a5a9", rule="#354146", rail="#0f1517",
    rail_ink="#e9ece8", rail_muted="#98a5a9", baseline="#8fb4d9", trial="#f0965a", trial2="#c3a6e6",
    trial3="#7cc9b8", trial4="#ec93c4", trial5="#cfc768", fine="#7fb58a", caution="#dcb25a", blocks="#e8887d", here="#f2c94c", field="#1a2124",
    band="#2d373c", link="#8fb4d9", edge="#7a888e",
)  # fmt: skip


def fonts() -> Traversable:
    """Folder of the type that ships with the application, its licence (SIL OFL 1.1) beside it."""
    return resources.files("fairmargin.looks") / "fonts"
