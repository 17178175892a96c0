"""The vehicle's bus: the shipped DBC decoded by hand arithmetic, mappings, frames that are nonsense."""

import cantools
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.dbc import Mapped, Signal, as_role, guess_mapping, load_dbc, signals_of
from fairmargin.instruments.samples import Sample, Trouble
from fairmargin.instruments.vehicle import BusDecoder, own_dbc

IMPERIAL = """VERSION ""
BU_: X
BO_ 100 Dash: 8 X
 SG_ RoadSpeedMph : 0|16@1+ (0.01,0) [0|200] "mph" X
 SG_ HvPower : 16|16@1- (10,0) [-300000|300000] "W" X
 SG_ OilTemp : 32|8@1+ (1,-40) [0|0] "degC" X
BO_ 101 Hv: 8 X
 SG_ HvVoltage : 0|16@1+ (100,0) [0|0] "mV" X
 SG_ HvCurrent : 16|16@1- (1,0) [0|0] "A" X
"""


@pytest.fixture
def own():
    database = load_dbc(own_dbc())
    return BusDecoder(database, guess_mapping(database))


def values(items):
    found = {}
    for item in items:
        if isinstance(item, Sample):
            found |= item.values
    return found


def test_the_shipped_dbc_decodes_as_its_layout_says(own):
    """Little-endian fields laid out by hand: voltage 3551 × 0.1 V, current −1234 × 0.01 A, charge 7912 × 0.01 %."""
    data = (3551).to_bytes(2, "little") + (-1234).to_bytes(3, "little", signed=True) + (7912).to_bytes(2, "little") + b"\0"  # fmt: skip
    got = values(own.feed(802, data, 0.0, 0.0))
    assert got["voltage_v"] == pytest.approx(355.1)
    assert got["current_a"] == pytest.approx(-12.34)
    assert got["soc_percent"] == pytest.approx(79.12)
    assert got["power_kw"] == pytest.approx(355.1 * -12.34 / 1000)  # recuperating
    reference = cantools.database.load_file(str(own_dbc())).decode_message(802, data)
    assert reference["PackVoltage"] == pytest.approx(got["voltage_v"])
    assert reference["PackCurrent"] == pytest.approx(got["current_a"])


def test_every_quantity_is_found_in_the_shipped_dbc():
    mapped = guess_mapping(load_dbc(own_dbc()))
    assert mapped.signals["speed_kmh"].label == "Motion.VehicleSpeed"
    assert mapped.signals["climate_kw"].factor == 1e-3
    assert len({s.label for s in mapped.signals.values()}) == len(mapped.signals) == 9


def test_another_vehicle_in_other_units(tmp_path):
    path = tmp_path / "other.dbc"
    path.write_text(IMPERIAL)
    database = load_dbc(path)
    mapped = guess_mapping(database)
    assert {k: s.label for k, s in mapped.signals.items()} == {
        "voltage_v": "Hv.HvVoltage",
        "current_a": "Hv.HvCurrent",
        "power_kw": "Dash.HvPower",
        "speed_kmh": "Dash.RoadSpeedMph",
    }
    decoder = BusDecoder(database, mapped)
    data = (5500).to_bytes(2, "little") + (1500).to_bytes(2, "little", signed=True) + b"\x50\0\0\0"
    got = values(decoder.feed(100, data, 0.0, 0.0))
    assert got["speed_kmh"] == pytest.approx(55 * 1.609344)
    assert got["power_kw"] == pytest.approx(15.0)  # the stated power wins over voltage times current


def test_a_current_that_is_positive_when_charging_is_turned_round(own):
    turned = BusDecoder(own.database, Mapped(own.mapped.signals, charging_positive=True))
    data = (3500).to_bytes(2, "little") + (2000).to_bytes(3, "little", signed=True) + b"\0\0\0"
    assert values(turned.feed(802, data, 0.0, 0.0))["power_kw"] == pytest.approx(-7.0)


def test_a_unit_that_does_not_fit_is_refused():
    with pytest.raises(ValueError, match="is in degC; speed is expected in km/h or kph"):
        as_role(Signal("M", "S", "degC"), "speed_kmh")


def test_unknown_frames_are_nobodys_business(own):
    assert own.feed(0x7FF, b"\0" * 8, 0.0, 0.0) == []


def test_nonsense_is_told_and_the_rest_kept(own):
    data = b"\xff\xff" + (100).to_bytes(3, "little", signed=True) + (5000).to_bytes(2, "little") + b"\0"
    items = own.feed(802, data, 0.0, 0.0)
    assert [t.kind for t in items if isinstance(t, Trouble)] == ["nonsense"]
    assert "voltage_v 6553.5" in next(t.words for t in items if isinstance(t, Trouble))
    assert values(items) == {"current_a": 1.0, "soc_percent": 50.0}
    again = [x for i in range(20) for x in own.feed(802, data, 1.0 + i, 1.0 + i) if isinstance(x, Trouble)]
    assert again == []  # told once


@given(st.integers(0, 0x7FF), st.binary(max_size=8))
@settings(max_examples=200, deadline=None)
def test_any_frame_is_survived(identifier, data):
    database = load_dbc(own_dbc())
    decoder = BusDecoder(database, guess_mapping(database))
    for one in (identifier, 801, 802, 803):
        for item in decoder.feed(one, data, 0.0, 0.0):
            assert isinstance(item, Sample | Trouble)


@given(st.binary(max_size=300))
@settings(max_examples=60, deadline=None)
def test_any_bytes_as_a_dbc_give_a_sentence(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("dbc") / "x.dbc"
    path.write_bytes(data)
    try:
        assert signals_of(load_dbc(path)) is not None
    except InvalidInput as fault:
        assert "DBC" in str(fault) or "message" in str(fault)


def test_a_missing_dbc():
    with pytest.raises(InvalidInput, match="cannot be read"):
        load_dbc("/nowhere/x.dbc")


def test_a_busy_bus_is_thinned_to_ten_a_second_and_filtered(own):
    data = (3551).to_bytes(2, "little") + (1234).to_bytes(3, "little") + (7912).to_bytes(2, "little") + b"\0"
    taken = sum(len(own.feed(802, data, i / 100.0, i / 100.0)) for i in range(1000))
    assert 95 <= taken <= 112
    assert {f["can_id"] for f in own.filters()} == {801, 802, 803}
    assert all(f["can_mask"] == 0x7FF and not f["extended"] for f in own.filters())
