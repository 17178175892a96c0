"""Money: costs by hand, and payback against numpy-financial."""

from __future__ import annotations

import numpy_financial as npf
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fairmargin.core.outcome.money import (
    FromTheWall,
    Payback,
    Prices,
    Saving,
    bought_wh_per_km,
    cost_per_km,
    payback,
    payback_years,
    saving_per_year,
    saving_with_wall,
)
from fairmargin.core.study import Vehicle


@given(st.floats(1, 1e5), st.floats(1, 1e4), st.floats(0.001, 0.2))
def test_discounted_payback_is_that_of_numpy_financial(price: float, saving: float, rate: float) -> None:
    years = payback_years(price, saving, rate)
    if price * rate >= saving:
        assert years is None
    else:
        assert years == pytest.approx(float(npf.nper(rate, saving, -price)), rel=1e-6)


def test_a_kilometre_by_hand() -> None:
    car = Vehicle(charging_efficiency=0.9)
    prices = Prices(energy=0.30, public=0.57, public_share=0.25, road=0.02)
    # Three quarters from the wall with 10 % lost, a quarter from a rapid charger with 5 %: 150 + 50 Wh.
    by_hand = 0.150 / 0.9 * 0.30 + 0.050 / 0.95 * 0.57 + 0.02
    assert cost_per_km(200.0, car, prices) == pytest.approx(by_hand)
    # 8 L/100 km of diesel of 9.97 kWh/L at 1.95.
    assert cost_per_km(80 * 9.97, Vehicle(energy="diesel"), Prices(fuel=1.95)) == pytest.approx(0.156)


def test_a_price_that_nobody_told_is_not_free() -> None:
    assert cost_per_km(200.0, Vehicle(), Prices()) is None
    assert cost_per_km(200.0, Vehicle(), Prices(energy=0.3, public_share=0.5)) is None
    assert cost_per_km(200.0, Vehicle(energy="petrol"), Prices(energy=0.3)) is None
    assert cost_per_km(200.0, Vehicle(), Prices(public=0.5, public_share=1.0)) == pytest.approx(0.2 / 0.95 * 0.5)
    with pytest.raises(ValueError, match="no share"):
        cost_per_km(200.0, Vehicle(), Prices(energy=0.3, public_share=1.5))


def test_what_uses_more_saves_nothing_and_road_charges_stay() -> None:
    saving = saving_per_year(0.10, 10.0, (8.0, 12.0), 0.02, 10_000)
    assert saving == Saving(pytest.approx(-80.0), (pytest.approx(-96.0), pytest.approx(-64.0)))
    assert payback(500.0, saving) == Payback(None, None, None)


def test_the_ends_of_the_margin_carry_through() -> None:
    found = payback(400.0, Saving(50.0, (-10.0, 100.0)))
    assert found == Payback(8.0, 4.0, None)
    assert found.words() == (
        "It pays for itself after about 8.0 years (4.0 years at the hopeful end of the margin, never at the other)."
    )
    assert "longer than the 5 years" in found.words(5)
    assert payback(400.0, Saving(-5.0, (-20.0, 10.0))).words().startswith("It never pays for itself by the best guess")
    assert payback(400.0, Saving(-5.0, (-20.0, -1.0))).words() == (
        "It never pays for itself, at either end of the margin."
    )
    assert payback_years(0.0, -5.0) == 0.0
    with pytest.raises(ValueError, match="0 or more"):
        payback_years(-1.0, 5.0)


def test_a_warm_up_is_paid_for_at_the_wall() -> None:
    """By hand: 200 and 180 Wh/km at 90 % are 222.2 and 200 bought, the wall gives the second 50: 27.8 Wh/km dearer."""
    vehicle = Vehicle(charging_efficiency=0.9)
    wall = FromTheWall(0.0, 50.0, 15.0, (5.0, 25.0))
    saving = saving_with_wall((200.0, 180.0), vehicle, wall, 0.30, 10_000)
    assert saving.per_year == pytest.approx(-(180 / 0.9 + 50 - 200 / 0.9) * 3.0)
    low, high = saving.interval
    # Ten per cent of 200 Wh/km either way, as it is bought.
    assert (high - saving.per_year, saving.per_year - low) == pytest.approx((20 / 0.9 * 3.0, 20 / 0.9 * 3.0))
    assert bought_wh_per_km(180.0, vehicle, 50.0) == pytest.approx(250.0)
