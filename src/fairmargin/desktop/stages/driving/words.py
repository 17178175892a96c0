"""What the companion says of spoilt stretches, in the person's units."""

from __future__ import annotations

from fairmargin.core.companion import Disturbance, disturbances_of_leg, worth_repeating
from fairmargin.core.study import Study
from fairmargin.core.words import signed
from fairmargin.desktop.state.session import Session


def disturbance_words(study: Study, session: Session, found: Disturbance) -> str:
    """Say what spoilt a leg and what it may be worth, in the person's units."""
    units = session.units
    lasted = f"{found.seconds / 60:.0f} min" if found.seconds >= 90 else f"{found.seconds:.0f} s"
    aim = study.target_speed_kmh
    if found.kind == "slow-traffic" and found.speed_kmh is not None and aim:
        now, wanted = (units.show("speed", v) for v in (found.speed_kmh, aim))
        what = f"{lasted} at {now:.0f} instead of {wanted:.0f} {units.speed}"
    elif found.kind == "stop":
        what = f"Stopped for {lasted}"
    else:
        plain = {"following-closely": "Followed closely", "rain": "Rain"}
        what = plain.get(found.kind, found.kind.replace("-", " ").capitalize())
        what += f" for {lasted}" if found.seconds > 0 else ""
    if found.percent is None:
        return f"{what}: cannot be priced."
    worth = f"{what}: worth about {signed(found.percent, 1)} % of this leg"
    return f"{worth}; drive it again?" if worth_repeating(study, [found]) else f"{worth}; it can stay."


def leg_verdict(study: Study, session: Session, name: str) -> tuple[str, bool]:
    """What to say of a leg's events when its readings are in, and whether it is worth driving again."""
    found = disturbances_of_leg(study, name)
    doubtful = any(s.kind in {"wrong-turn", "lift-off", "reset-doubtful"} for s in found)
    words = "\n".join(disturbance_words(study, session, s) for s in found)
    return words, doubtful or worth_repeating(study, found)
