"""What the companion says of spoilt stretches, in the person's units."""

from __future__ import annotations

from typing import Final

from fairmargin.core.companion import Disturbance, disturbances_of_leg, worth_repeating
from fairmargin.core.study import Study
from fairmargin.core.words import signed
from fairmargin.desktop.state.session import Session
from fairmargin.simulation.mishaps import NOTED_AS, Mishap, Noticed, noted_for_nothing, noticed
from fairmargin.simulation.rehearsal import Rehearsal

NOT_SLOW: Final = 0.98  # of the aim, from which a stretch was not slow


def disturbance_words(study: Study, session: Session, found: Disturbance) -> str:
    """Say what spoilt a leg and what it may be worth, in the person's units."""
    units = session.units
    lasted = f"{found.seconds / 60:.0f} min" if found.seconds >= 90 else f"{found.seconds:.0f} s"
    aim = study.target_speed_kmh
    if found.kind == "slow-traffic" and found.speed_kmh is not None and aim:
        now, wanted = (units.show("speed", v) for v in (found.speed_kmh, aim))
        if found.speed_kmh >= NOT_SLOW * aim:
            return f"{lasted} at {now:.0f} {units.speed}: no slower than you aim for; it can stay."
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


HAPPENED: Final = {
    "reset": "the reset did not take", "lorry": "a lorry was close ahead", "rain": "it rained",
    "wrong turn": "you were off your road", "frozen GPS": "the GPS froze",
}  # fmt: skip


def told_lines(study: Study, made: Rehearsal) -> list[str]:
    """What went wrong on a rehearsed day, what of it was noticed, and what it cost; what was noted for nothing."""
    found = noticed(study, made.mishaps, made.deaf_reset)
    lines = [_noticed_words(study, n) for n in found]
    if found:
        seen = sum(bool(n.by) for n in found)
        things = "thing" if len(found) == 1 else "things"
        lines.insert(0, f"{seen} of {len(found)} {things} that went wrong noticed.")
    elif made.looks_out or made.deaf_reset:
        lines.append("Nothing went wrong on the legs that were driven.")
    names = {kind: name for name, kind in NOTED_AS.items()}
    for leg, kind in noted_for_nothing(study, made.mishaps):
        lines.append(f"{leg}: {kind.replace('-', ' ')} noted; there was no {names[kind]}.")
    return lines


def _noticed_words(study: Study, n: Noticed) -> str:
    m: Mishap = n.mishap
    when = "" if m.kind == "reset" else f" from {_minutes(m.from_s)} to {_minutes(m.to_s)} after setting off"
    by = n.by or "not noticed"
    if n.cost_percent is None:
        cost = "It is not counted." if not study.leg(m.leg).included else "What it cost cannot be told."
    elif abs(n.cost_percent) < 0.05:
        cost = "It cost the result nothing."
    else:
        side = study.configuration(study.leg(m.leg).configuration).label
        share = f", {signed(n.side_percent, 1)} % of the mean of {side}" if n.side_percent is not None else ""
        cost = f"It put {signed(n.cost_percent, 1)} % on the leg{share}, before any correction."
    return f"{m.leg}: {HAPPENED[m.kind]}{when}; {by}. {cost}"


def _minutes(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
