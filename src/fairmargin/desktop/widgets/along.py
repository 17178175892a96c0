"""What can be drawn along the road, and with which shapes; light, so that the plotting library loads only when it draws."""

from __future__ import annotations

from typing import Final

TRACES: Final = {
    "along:speed": "Speed along the road",
    "along:power": "Power along the road",
    "along:height": "Height along the road",
    "along:soc": "Charge along the road",
    "along:temperature": "Temperature along the road",
    "along:wind": "Head wind along the road",
}
#: Shapes of the trials as the plotting library names them; the baseline is a circle everywhere.
SYMBOLS: Final = ("d", "t1", "s", "t", "h")
