"""The vehicle's bus: frames by python-can, decoded with the owner's DBC by cantools."""

from __future__ import annotations

from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any, Final

from fairmargin.exchange.logs.dbc import SPACING_S, Mapped, Signal
from fairmargin.instruments.samples import Sample, TimeKeeper, Trouble, sensible

#: Voltage and current are multiplied when both are no older than this. [s]
TOGETHER_S: Final = 1.5


def own_dbc() -> Path:
    """Return the DBC of the simulated van, shipped with the application."""
    return Path(str(resources.files("fairmargin.instruments") / "data" / "orrin.dbc"))


@dataclass(slots=True)
class BusDecoder:
    """Frames in, samples and troubles out.

    Parameters
    ----------
    database
        A cantools database.
    mapped : Mapped
    keeper : TimeKeeper
    """

    database: Any
    mapped: Mapped
    keeper: TimeKeeper = field(default_factory=TimeKeeper)
    frames: int = 0
    refused: int = 0
    _wanted: dict[str, list[tuple[str, Signal]]] = field(default_factory=dict)
    _latest: dict[str, tuple[float, float]] = field(default_factory=dict)
    _taken: dict[int, tuple[float, float]] = field(default_factory=dict)  # stamp and arrival of a message's last frame
    _bad_run: int = 0
    _stood: bool = False

    def __post_init__(self) -> None:
        for role, signal in self.mapped.signals.items():
            self._wanted.setdefault(signal.message, []).append((role, signal))

    def filters(self) -> list[dict[str, Any]]:
        """Return filters for the interface: of all that is on a bus only the mapped messages are wanted."""
        messages = [self.database.get_message_by_name(name) for name in self._wanted]
        return [
            {
                "can_id": m.frame_id,
                "can_mask": 0x1FFFFFFF if m.is_extended_frame else 0x7FF,
                "extended": m.is_extended_frame,
            }
            for m in messages
        ]

    def feed(self, identifier: int, data: bytes, stamp: float, arrived: float) -> list[Sample | Trouble]:
        """Take one frame.

        Parameters
        ----------
        identifier : int
            Arbitration id.
        data : bytes
        stamp : float
            The interface's own time of the frame. [s]
        arrived : float
            When it came, on the drive's clock. [s]
        """
        try:
            message = self.database.get_message_by_frame_id(identifier)
        except KeyError:
            return []  # a bus carries much that no mapping asks for
        wanted = self._wanted.get(message.name)
        taken = self._taken.get(identifier)
        # A clock that stands stamps all alike: then only what arrives together is one.
        if not wanted or (taken and 0.0 <= stamp - taken[0] < SPACING_S and arrived - taken[1] < SPACING_S):
            return []
        self._taken[identifier] = (stamp, arrived)
        try:
            decoded = message.decode(data, decode_choices=False)
        except Exception:  # cantools and bitstruct raise errors of their own for frames too short
            self.refused += 1
            return self._nonsense(arrived, f"frame {message.name} cannot be decoded")
        self.frames += 1
        at, jump = self.keeper.place(stamp, arrived)
        out: list[Sample | Trouble] = []
        if jump is not None:
            out.append(
                Trouble(
                    arrived, "vehicle", "clock", f"Bus clock jumped by {jump:+.0f} s; samples keep the laptop's time"
                )
            )
        if self.keeper.stands != self._stood:
            self._stood = self.keeper.stands
            words = "Bus clock stands still; samples keep the laptop's time" if self._stood else "Bus clock runs again"
            out.append(Trouble(arrived, "vehicle", "clock", words))
        values = {
            role: float(decoded[signal.name]) * signal.factor for role, signal in wanted if signal.name in decoded
        }
        if self.mapped.charging_positive and "current_a" in values:
            values["current_a"] = -values["current_a"]
        good, bad = sensible(values)
        for name, value in good.items():
            self._latest[name] = (at, value)
        if "power_kw" not in self.mapped.signals and good.keys() & {"voltage_v", "current_a"}:
            pair = [self._latest.get(name) for name in ("voltage_v", "current_a")]
            if pair[0] and pair[1] and abs(pair[0][0] - pair[1][0]) <= TOGETHER_S:
                good["power_kw"] = pair[0][1] * pair[1][1] / 1000.0
        if bad:
            out += self._nonsense(arrived, ", ".join(bad))
        else:
            self._bad_run = 0
        if good:
            out.append(Sample(at, "vehicle", good))
        return out

    def _nonsense(self, arrived: float, what: str) -> list[Sample | Trouble]:
        self._bad_run += 1
        if self._bad_run not in {1, 100}:
            return []
        return [Trouble(arrived, "vehicle", "nonsense", f"The vehicle says what cannot be: {what}; left out")]
