"""Packages: nothing is lost on a round trip, and every fault is told by file, row and column."""

import json
import string
import zipfile
from datetime import datetime, timedelta, timezone

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.conftest import driven_study

from fairmargin.core.kinds import MECHANISMS, change_kinds
from fairmargin.core.study import (
    EVENT_KINDS,
    METHODS,
    SUBJECTS,
    Change,
    Circumstances,
    Claim,
    Configuration,
    Event,
    KnownDifference,
    Leg,
    NamedVehicle,
    Outing,
    Prediction,
    RoutePoint,
    Stretch,
    Study,
    Trace,
    Vehicle,
    WayReading,
    WeatherRow,
)
from fairmargin.core.study.attachments import attachment
from fairmargin.core.units import CONSUMPTION_UNITS
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.samples import read_trace
from fairmargin.exchange.packages.writing import write_package

TEXT = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=20).map(str.strip)
NAME = st.text(string.ascii_letters + string.digits + "-_ äß", min_size=1, max_size=8).map(str.strip).filter(bool)


def number(low, high):
    return st.none() | st.floats(low, high, allow_nan=False).map(lambda x: float(repr(x)))


TIME = st.none() | st.datetimes(datetime(2000, 1, 1), datetime(2060, 1, 1)).flatmap(
    lambda t: st.sampled_from([t, t.replace(tzinfo=timezone(timedelta(hours=2)))])
)


@st.composite
def legs(draw, index, ids):
    shown = draw(number(0.5, 900))
    stopped = draw(number(0, 500))
    return Leg(
        leg=f"L{index}",
        run=draw(NAME),
        block=draw(TEXT),
        configuration=draw(st.sampled_from(ids)),
        direction=draw(st.sampled_from(["", "out", "back", "loop"])),
        sector=draw(TEXT),
        speed_kmh=draw(number(20, 200)),
        started_at=draw(TIME),
        duration_s=draw(number(501, 9000)),
        stopped_s=stopped,
        distance_km=draw(number(1, 300)),
        gps_distance_km=draw(number(1, 300)),
        average_shown=shown,
        average_unit=None if shown is None else draw(st.sampled_from(CONSUMPTION_UNITS)),
        average_step=None if shown is None else draw(st.sampled_from([0.1, 1.0, 0.01])),
        soc_start_percent=draw(number(0, 100)),
        charger_kwh=draw(number(0, 90)),
        temperature_c=draw(number(-30, 45)),
        pressure_hpa=draw(number(900, 1050)),
        wind_speed_ms=draw(number(0, 20)),
        wind_from_deg=draw(number(0, 360)),
        road=draw(st.sampled_from(["", "dry", "wet"])),
        climate=draw(st.sampled_from(["", "off", "21"])),
        included=draw(st.booleans()),
        reason=draw(TEXT),
        note=draw(TEXT),
    )


@st.composite
def studies(draw):
    ids = draw(st.lists(NAME, min_size=1, max_size=3, unique=True))
    count = draw(st.integers(0, 4))
    vehicles = draw(st.sampled_from([(), (NamedVehicle(id="V1", tank_l=70.0), NamedVehicle(id="V2"))]))
    made = tuple(draw(legs(i, ids)) for i in range(count))
    if vehicles:
        made = tuple(leg.with_(vehicle="V2") for leg in made)
    points = sorted(draw(st.lists(st.floats(0, 1e5), min_size=0, max_size=5, unique=True)))
    return Study(
        title=draw(TEXT),
        notes=draw(TEXT),
        change=Change(
            kind=draw(st.sampled_from(change_kinds())),
            mechanism=draw(
                st.sampled_from(MECHANISMS) | st.lists(st.sampled_from(MECHANISMS), min_size=1, max_size=3).map(tuple)
            ),
            prediction_percent=draw(number(-50, 50)),
            subject=draw(st.sampled_from(SUBJECTS)),
            claim=draw(st.none() | st.builds(Claim, percent=st.floats(-50, 50), by=TEXT)),
            prediction=draw(st.none() | st.just(Prediction(low=3.0, high=3.2, unit="km/kWh"))),
        ),
        vehicles=vehicles,
        known_differences=tuple(
            KnownDifference(configuration=name, wh_per_km=7.0, sd_wh_per_km=3.0, reason=draw(TEXT)) for name in ids[:1]
        ),
        vehicle=Vehicle(name=draw(TEXT), mass_kg=draw(number(500, 9000)), drag_area_m2=draw(number(0.2, 5))),
        configurations=tuple(
            Configuration(id=name, baseline=i == 0, mass_delta_kg=draw(number(0, 500)) or 0.0)
            for i, name in enumerate(ids)
        ),
        method=draw(st.sampled_from(METHODS)),
        target_speed_kmh=draw(number(20, 150)),
        legs=made,
        route=tuple(RoutePoint(distance_m=d, elevation_m=draw(number(-10, 900)), sector=draw(TEXT)) for d in points),
        weather=tuple(
            WeatherRow(time=datetime(2026, 5, 2, 9) + timedelta(hours=i), wind_speed_ms=draw(number(0, 20)))
            for i in range(draw(st.integers(0, 2)))
        ),
        events=tuple(
            Event(leg=leg.leg, kind=draw(st.sampled_from(EVENT_KINDS)), at_km=draw(number(0, 9))) for leg in made[:2]
        ),
        readings=tuple(
            WayReading(leg=leg.leg, at_km=draw(number(0, 9)), instrument="state of charge", value=89.0, unit="%")
            for leg in made[:1]
        ),
    )


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture]
)
@given(study=studies(), zipped=st.booleans())
def test_round_trip_loses_nothing(study, zipped, tmp_path_factory):
    path = tmp_path_factory.mktemp("p") / ("s.zip" if zipped else "s")
    write_package(path, study)
    back = read_package(path).study
    assert back == study
    assert Study.model_validate_json(study.model_dump_json(by_alias=True)) == study


def test_a_package_of_two_vehicles_with_readings_on_the_way(tmp_path):
    head = {
        "vehicles": [{"id": "E", "usable_capacity_kwh": 68}, {"id": "D", "energy": "diesel", "tank_l": 70}],
        "known_differences": [{"vehicle": "D", "wh_per_km": 7.0, "sd_wh_per_km": 3.0, "reason": "wheel caps"}],
        "change": {
            "claim": {"percent": 0.0, "tolerance_percent": 1.0, "by": "maker"},
            "prediction": {"low": 3.0, "high": 3.2, "unit": "km/kWh"},
        },
    }
    rows = (
        "leg,configuration,vehicle,distance_km,average_shown,average_unit\nL1,A,E,50,200,Wh/km\nL2,A,D,50,9,L/100km\n"
    )
    on_the_way = "leg,at_km,instrument,value,unit\nL1,1.9,state of charge,89,%\n"
    study = read_package(make(tmp_path, head=head, legs=rows, readings=on_the_way)).study
    assert [v.id for v in study.vehicles] == ["E", "D"]
    assert study.vehicles[1].stored_wh == pytest.approx(70 * 9970)  # 9.97 kWh/L of diesel
    assert (study.readings[0].at_km, study.readings[0].value) == (1.9, 89)
    assert study.change.claim is not None
    assert study.change.claim.by == "maker"
    write_package(tmp_path / "again", study)
    assert read_package(tmp_path / "again").study == study


def test_samples_round_trip(tmp_path, abba):
    trace = Trace(time_s=np.arange(5.0), speed_kmh=np.linspace(80, 90, 5), power_kw=np.array([1, np.nan, 3, 4, 5.0]))
    write_package(tmp_path / "s.zip", abba, {"L01": trace})
    assert read_package(tmp_path / "s.zip").traces["L01"].same_as(trace)


def test_shown_digits_survive_and_give_the_step(tmp_path):
    folder = make(
        tmp_path,
        legs="leg,configuration,average_shown,average_unit,energy_kwh\nL1,A,15.0,kWh/100km,3.10\nL2,B,212,Wh/mi,\n",
    )
    study = read_package(folder).study
    assert [leg.average_step for leg in study.legs] == [pytest.approx(0.1), 1.0]
    assert study.legs[0].energy_step_kwh == pytest.approx(0.01)
    write_package(tmp_path / "again", study)
    text = (tmp_path / "again" / "legs.csv").read_text()
    assert ",15.0," in text and ",3.10," in text


def test_unknown_columns_and_keys_are_kept_and_told(tmp_path):
    folder = make(tmp_path, head={"owner_ref": "x7"}, legs="leg,configuration,tread_mm\nL1,A,5.2\nL2,B,\n")
    package = read_package(folder)
    assert any("tread_mm" in n for n in package.notices) and any("owner_ref" in n for n in package.notices)
    write_package(tmp_path / "again", package.study)
    again = read_package(tmp_path / "again").study
    assert again.legs[0].model_extra == {"tread_mm": "5.2"}
    assert again.model_extra["owner_ref"] == "x7"


def test_zip_of_a_folder_and_a_byte_order_mark(tmp_path):
    folder = make(tmp_path)
    with zipfile.ZipFile(tmp_path / "z.zip", "w") as archive:
        archive.writestr("my study/study.json", "\ufeff" + (folder / "study.json").read_text())
        archive.writestr("my study/legs.csv", "\ufeff" + (folder / "legs.csv").read_text())
    assert len(read_package(tmp_path / "z.zip").study.legs) == 2


HEAD = {"format": "fairmargin-study", "version": 1, "configurations": [{"id": "A", "baseline": True}, {"id": "B"}]}
LEGS = "leg,configuration,distance_km\nL1,A,18.4\nL2,B,18.4\n"


def make(tmp_path, head=None, legs=LEGS, **files):
    folder = tmp_path / "package"
    folder.mkdir(exist_ok=True)
    text = head if isinstance(head, str) else json.dumps({**HEAD, **(head or {})})
    (folder / "study.json").write_text(text, encoding="utf-8")
    (folder / "legs.csv").write_text(legs, encoding="utf-8")
    for name, content in files.items():
        (folder / f"{name}.csv").write_text(content, encoding="utf-8")
    return folder


@pytest.mark.parametrize(
    "legs, line",
    [
        ('leg,configuration,distance_km\nL1,A,"12,4 km"\n', 'legs.csv, row 2, distance_km: "12,4 km" is not a number'),
        (
            "leg,configuration,distance_km\nL1,A,-3\n",
            "legs.csv, row 2, distance_km: -3 is not possible; expected 0.05 to 1000000 km",
        ),
        ("leg,configuration,distance_km\nL1,A,nan\n", 'legs.csv, row 2, distance_km: "nan" is not a finite number'),
        (
            "leg,configuration\nL1,C\n",
            'legs.csv, row 2, configuration: "C" is not an id of study.json; expected one of A, B',
        ),
        ("leg,configuration\nL1,A\nL1,B\n", 'legs.csv, row 3, leg: "L1" stands in row 2 already'),
        ("leg,configuration\nL1,\n", "legs.csv, row 2, configuration: empty; it is required"),
        ("configuration\nA\n", "legs.csv, row 1: column leg is missing"),
        ("leg,configuration,started_at\nL1,A,yesterday\n", "expected ISO 8601 such as 2026-05-02T09:30"),
        ("leg,configuration,included\nL1,A,maybe\n", 'legs.csv, row 2, included: "maybe" is neither yes nor no'),
        ("leg,configuration,average_shown\nL1,A,15\n", "average_unit is missing"),
        ("leg,configuration,average_shown,average_unit\nL1,A,15,bananas\n", "legs.csv, row 2, average_unit"),
        ("leg,configuration\nL1,A,extra,cells\n", "legs.csv, row 2: 4 cells; expected 2"),
        ("leg,leg,configuration\nL1,L1,A\n", "column leg stands twice"),
        ("leg;configuration\nL1;A\n", "no commas in the header"),
        ("", "legs.csv: empty; expected a header row"),
        ("leg,configuration\n../x,A\n", 'legs.csv, row 2, leg: "../x" is not a leg name'),
        ("leg,configuration,climate\nL1,A,hot\n", "expected off, auto or a temperature"),
        ("leg,configuration,duration_s,stopped_s\nL1,A,100,200\n", "stopped_s 200 is not shorter than duration_s 100"),
    ],
)
def test_faults_in_legs(tmp_path, legs, line):
    with pytest.raises(InvalidInput) as fault:
        read_package(make(tmp_path, legs=legs))
    assert any(line in x for x in fault.value.faults), fault.value.faults
    assert all("\n" not in x for x in fault.value.faults)


@pytest.mark.parametrize(
    "head, line",
    [
        ("{", "study.json, row 1, column 2"),
        ("[]", "study.json: expected a JSON object"),
        ({"format": "other"}, 'study.json, format: expected "fairmargin-study"; got "other"'),
        ({"version": 2}, "study.json, version: this program reads version 1; got 2"),
        ({"configurations": []}, "study.json, configurations: expected at least one configuration"),
        ({"configurations": [{"id": "A"}, {"id": "B"}]}, 'exactly one configuration must have "baseline": true; got 0'),
        ({"vehicle": {"mass_kg": "heavy"}}, 'study.json, vehicle.mass_kg: "heavy" is not a number'),
        ({"vehicle": {"mass_kg": 5}}, "study.json, vehicle.mass_kg: 5 is not possible; expected 200 to 40000 kg"),
        ({"change": {"kind": "magic"}}, "study.json, change.kind"),
        ({"method": "sideways"}, "study.json, method"),
        ({"confidence": 95}, "study.json, confidence: 95 is not possible; expected 0.5 to 0.999"),
        ('{"format": "fairmargin-study", "format": "x"}', '"format" stands twice'),
    ],
)
def test_faults_in_study_json(tmp_path, head, line):
    with pytest.raises(InvalidInput) as fault:
        read_package(make(tmp_path, head=head))
    assert any(line in x for x in fault.value.faults), fault.value.faults


@pytest.mark.parametrize(
    "files, line",
    [
        (
            {"route": "distance_m,latitude\n0,52\n100,52\n90,52\n"},
            "route.csv, row 4, distance_m: 90 does not come after 100",
        ),
        (
            {"route": "distance_m,latitude\n0,95\n"},
            "route.csv, row 2, latitude: 95 is not possible; expected -90 to 90",
        ),
        ({"weather": "time,wind_speed_ms\nnoon,3\n"}, 'weather.csv, row 2, time: "noon" is not a time'),
        ({"events": "leg,kind\nL9,stop\n"}, 'events.csv, row 2, leg: "L9" is not in legs.csv'),
        ({"events": "leg,kind\nL1,tornado\n"}, "events.csv, row 2, kind"),
    ],
)
def test_faults_in_optional_tables(tmp_path, files, line):
    with pytest.raises(InvalidInput) as fault:
        read_package(make(tmp_path, **files))
    assert any(line in x for x in fault.value.faults), fault.value.faults


@pytest.mark.parametrize(
    "text, line",
    [
        ("time_s,power_kw\n0,1\n", "samples/L1.csv, row 1: column speed_kmh is missing"),
        ("time_s,speed_kmh\n0,80\n1,fast\n", 'samples/L1.csv, row 3, speed_kmh: "fast" is not a number'),
        ("time_s,speed_kmh\n0,80\n1,\n", "samples/L1.csv, row 3, speed_kmh: empty"),
        ("time_s,speed_kmh\n0,80\n0,81\n", "time_s must increase"),
        ("time_s,speed_kmh\n0,80\n1,-5\n", "speed_kmh must not be negative"),
        ("time_s,speed_kmh\n0,80\n1,inf\n", "row 3, speed_kmh: not a finite number"),
        ("", "samples/L1.csv"),
    ],
)
def test_faults_in_samples(text, line):
    with pytest.raises(InvalidInput) as fault:
        read_trace(text.encode(), "samples/L1.csv")
    assert line in fault.value.faults[0]


def test_all_faults_are_told_at_once(tmp_path):
    rows = "".join(f"L{i},A,x\n" for i in range(80))
    with pytest.raises(InvalidInput) as fault:
        read_package(make(tmp_path, legs="leg,configuration,distance_km\n" + rows))
    assert len(fault.value.faults) == 51
    assert fault.value.faults[-1] == "... and 30 more"


def test_what_is_no_package(tmp_path):
    (tmp_path / "x.zip").write_bytes(b"PK\x03\x04 not really")
    for name, words in (("x.zip", "not a readable zip"), ("absent", "no such file or folder")):
        with pytest.raises(InvalidInput, match=words):
            read_package(tmp_path / name)
    (tmp_path / "empty").mkdir()
    with pytest.raises(InvalidInput, match=r"study.json: missing"):
        read_package(tmp_path / "empty")


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.binary(max_size=300), which=st.sampled_from(["study.json", "legs.csv"]))
def test_fuzzed_bytes_end_in_a_sentence(tmp_path, data, which):
    folder = make(tmp_path)
    (folder / which).write_bytes(data)
    try:
        read_package(folder)
    except InvalidInput as fault:
        assert fault.faults and all(which in line for line in fault.faults)


def test_writing_never_harms_what_is_there(tmp_path, abba):
    other = tmp_path / "photos"
    other.mkdir()
    (other / "a.jpg").write_bytes(b"x")
    with pytest.raises(InvalidInput, match="is not a study package; expected a new name"):
        write_package(other, abba)
    assert (other / "a.jpg").read_bytes() == b"x"
    write_package(tmp_path / "p", abba)
    (tmp_path / "p" / "my notes.txt").write_text("mine")
    write_package(tmp_path / "p", abba.with_(title="again"))
    assert (tmp_path / "p" / "my notes.txt").read_text() == "mine"
    assert read_package(tmp_path / "p").study.title == "again"


def test_an_event_follows_its_leg():
    study = driven_study("AB").with_(events=(Event(leg="L01", kind="stop"),))
    assert study.with_legs(study.legs[1:]).events == ()


def test_stretches_left_out_come_back(tmp_path):
    stretch = Stretch(from_m=100.0, to_m=900.0, reason="road works")
    study = driven_study("AB", left_out_stretches=(stretch,))
    write_package(tmp_path / "p.zip", study, {})
    assert read_package(tmp_path / "p.zip").study.left_out_stretches == (stretch,)


def test_circumstances_and_outings_come_back_and_are_written_only_where_they_say_something(tmp_path, abba):
    write_package(tmp_path / "bare", abba)
    head = json.loads((tmp_path / "bare" / "study.json").read_text())
    assert "circumstances" not in head and "outings" not in head
    told = abba.with_(
        circumstances=Circumstances(warm_up_min=20, load="alike"),
        outings=(Outing(id="1", runs=("R1",), warm_up_min=5),),
    )
    write_package(tmp_path / "told", told)
    head = json.loads((tmp_path / "told" / "study.json").read_text())
    assert head["circumstances"] == {"warm_up_min": 20.0, "load": "alike"}  # keys of a later day stay
    assert head["outings"] == [{"warm_up_min": 5.0, "id": "1", "runs": ["R1"]}]
    assert read_package(tmp_path / "told").study == told
    with pytest.raises(InvalidInput, match=r"1441 is not possible; expected 0 to 1440 min"):
        read_package(make(tmp_path, head={"circumstances": {"warm_up_min": 1441}}))


def test_attachments_travel_as_files_and_what_is_missing_is_told(tmp_path):
    study = driven_study("AB").with_(
        attachments=(
            attachment("plate.jpg", b"\xff\xd8plate", "tyre plate", note="door"),
            attachment("note.txt", b"hello", "L01"),
        )
    )
    for target in (tmp_path / "pack", tmp_path / "pack.zip"):
        write_package(target, study)
        again = read_package(target)
        assert again.study.attachments == study.attachments and not again.notices
    told = json.loads((tmp_path / "pack" / "study.json").read_text())["attachments"]
    assert told[0] == {"file": "plate.jpg", "of": "tyre plate", "note": "door"}
    assert (tmp_path / "pack" / "attachments" / "plate.jpg").read_bytes() == b"\xff\xd8plate"
    (tmp_path / "pack" / "attachments" / "plate.jpg").unlink()
    short = read_package(tmp_path / "pack")
    assert [x.file for x in short.study.attachments] == ["note.txt"]
    assert any("attachments/plate.jpg: is not in the package" in x for x in short.notices)
    # Written again without it, nothing of it is left.
    write_package(tmp_path / "pack", study.with_(attachments=()))
    assert not (tmp_path / "pack" / "attachments").exists()
    assert "attachments" not in json.loads((tmp_path / "pack" / "study.json").read_text())


def test_an_attachment_cannot_name_a_file_elsewhere(tmp_path):
    write_package(tmp_path / "pack", driven_study("AB"))
    head = json.loads((tmp_path / "pack" / "study.json").read_text())
    head["attachments"] = [{"file": "../study.json", "of": "L01"}]
    (tmp_path / "pack" / "study.json").write_text(json.dumps(head))
    with pytest.raises(InvalidInput, match="no name of an attachment"):
        read_package(tmp_path / "pack")
