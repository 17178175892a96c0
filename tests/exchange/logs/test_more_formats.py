"""FIT, TCX and KML with times, bus logs with their DBC: each file made here by its own rules or by its own writer."""

import shutil
import struct
from datetime import UTC, datetime, timedelta

import can
import cantools
import numpy as np
import pytest

from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.kinds import recognise
from fairmargin.exchange.logs.formats import format_of_file
from fairmargin.instruments.vehicle import own_dbc

BEGAN = datetime(2026, 5, 2, 8, 30, tzinfo=UTC)
FIT_EPOCH = datetime(1989, 12, 31, tzinfo=UTC)
METRES = 111_195.0  # a degree of latitude on a sphere of 6371 km


def crc16(data):
    """The checksum of a FIT file (Flexible and Interoperable Data Transfer protocol, revision 2.4, section 3.3.2; from memory)."""
    table = [
        0x0000, 0xCC01, 0xD801, 0x1400, 0xF001, 0x3C00, 0x2800, 0xE401,
        0xA001, 0x6C00, 0x7800, 0xB401, 0x5000, 0x9C01, 0x8801, 0x4400,
    ]  # fmt: skip
    crc = 0
    for byte in data:
        for nibble in (byte & 0xF, byte >> 4):
            crc = ((crc >> 4) & 0x0FFF) ^ table[crc & 0xF] ^ table[nibble]
    return crc


def fit_file(path, points):
    """Records of time, place, height and speed, as the protocol lays them out."""
    fields = [(253, 4, 0x86), (0, 4, 0x85), (1, 4, 0x85), (2, 2, 0x84), (6, 2, 0x84)]
    body = struct.pack("<BBBHB", 0x40, 0, 0, 20, len(fields)) + b"".join(struct.pack("BBB", *f) for f in fields)
    for at, latitude, longitude, height, speed in points:
        stamp = int((BEGAN + timedelta(seconds=at) - FIT_EPOCH).total_seconds())
        parts = [round(x * 2**31 / 180) for x in (latitude, longitude)]
        body += struct.pack("<BIiiHH", 0, stamp, *parts, round((height + 500) * 5), round(speed * 1000))
    head = struct.pack("<BBHI4s", 14, 0x20, 2140, len(body), b".FIT")
    head += struct.pack("<H", crc16(head))
    path.write_bytes(head + body + struct.pack("<H", crc16(head + body)))
    return path


POINTS = [(t, 52.2 + 25.0 * t / METRES, 0.1, 12.0, 25.0) for t in range(120)]  # 90 km/h northward


def tcx_file(path, points, speed=True):
    rows = "".join(
        f"<Trackpoint><Time>{(BEGAN + timedelta(seconds=t)).isoformat()}</Time><Position><LatitudeDegrees>{a}</LatitudeDegrees>"
        f"<LongitudeDegrees>{b}</LongitudeDegrees></Position><AltitudeMeters>{h}</AltitudeMeters>"
        + (f"<Extensions><x:TPX><x:Speed>{v}</x:Speed></x:TPX></Extensions>" if speed else "")
        + "</Trackpoint>"
        for t, a, b, h, v in points
    )
    path.write_text(
        '<?xml version="1.0"?><TrainingCenterDatabase xmlns="urn:tcx" xmlns:x="urn:x"><Activities><Activity><Lap><Track>'
        f"{rows}</Track></Lap></Activity></Activities></TrainingCenterDatabase>"
    )
    return path


def kml_file(path, points):
    whens = "".join(f"<when>{(BEGAN + timedelta(seconds=t)).isoformat()}</when>" for t, *_ in points)
    coords = "".join(f"<gx:coord>{b} {a} {h}</gx:coord>" for _, a, b, h, _ in points)
    path.write_text(
        '<?xml version="1.0"?><kml xmlns="urn:kml" xmlns:gx="urn:gx">'
        f"<Document><Placemark><gx:Track>{whens}{coords}</gx:Track></Placemark></Document></kml>"
    )
    return path


def nmea_file(path, points):
    """Sentences of NMEA 0183: RMC and GGA, with the exclusive or of what stands between $ and * (from memory)."""

    def sentence(words):
        check = 0
        for letter in words.encode():
            check ^= letter
        return f"${words}*{check:02X}"

    def degrees(value, wide):
        whole = int(value)
        return f"{whole:0{wide}d}{60 * (value - whole):08.5f}"

    lines = []
    for t, a, b, h, v in points:
        at = BEGAN + timedelta(seconds=t)
        where = f"{degrees(a, 2)},N,{degrees(b, 3)},E"
        lines.append(sentence(f"GPGGA,{at:%H%M%S}.00,{where},1,08,0.9,{h},M,47.0,M,,"))
        lines.append(sentence(f"GPRMC,{at:%H%M%S}.00,A,{where},{v / (1852 / 3600):.3f},0.0,{at:%d%m%y},,,A"))
    path.write_text("\r\n".join(lines) + "\r\n")
    return path


@pytest.mark.parametrize("make", [fit_file, tcx_file, kml_file, nmea_file], ids=["FIT", "TCX", "KML", "NMEA"])
def test_a_recording_says_when_where_and_how_fast(make, tmp_path):
    path = make(tmp_path / "drive", POINTS)
    assert recognise(path).kind == "track"
    log = format_of_file(path).read(path)
    trace = log.trace
    assert log.started_at == BEGAN.replace(tzinfo=None) and log.rows == 120
    assert trace.time_s[-1] == pytest.approx(119)
    assert trace.speed_kmh[5:-5] == pytest.approx(np.full(110, 90.0), rel=0.005)
    assert trace.latitude[60] == pytest.approx(52.2 + 1500 / METRES, abs=1e-6)
    assert trace.elevation_m == pytest.approx(np.full(120, 12.0), abs=0.1)
    assert any("no power" in n for n in log.notices)


def test_sentences_without_a_fix_or_damaged_are_counted(tmp_path):
    path = nmea_file(tmp_path / "drive.txt", POINTS)
    lines = path.read_text().splitlines()
    lines[21] = lines[21].replace(",A,", ",V,", 1)  # its checksum does not hold either
    lines[41] = lines[41][:-1] + ("0" if lines[41][-1] != "0" else "1")
    path.write_text("\n".join(f"12:00:01 {line}" for line in lines))
    log = format_of_file(path).read(path)
    assert log.rows == 118 and "2 sentences without a fix, or damaged, left out" in log.notices


def test_without_a_speed_the_places_tell_it(tmp_path):
    path = tcx_file(tmp_path / "drive.tcx", POINTS, speed=False)
    log = format_of_file(path).read(path)
    assert "speeds follow from the positions" in log.notices
    assert log.trace.speed_kmh[30] == pytest.approx(90.0, rel=0.005)


def test_what_is_damaged_is_said_by_its_name(tmp_path):
    cut = fit_file(tmp_path / "cut.fit", POINTS)
    cut.write_bytes(cut.read_bytes()[:40])
    line = tmp_path / "line.kml"
    line.write_text("<kml><Placemark><LineString><coordinates>0,52 0,53</coordinates></LineString></Placemark></kml>")
    odd = tmp_path / "odd.kml"
    odd.write_text("<kml><Track><when>2026-05-02T08:30:00Z</when></Track></kml>")
    bomb = tmp_path / "bomb.tcx"
    bomb.write_text('<!DOCTYPE a [<!ENTITY b "c">]><TrainingCenterDatabase>&b;</TrainingCenterDatabase>')
    for path, words in ((cut, "FIT"), (line, "no track with times"), (odd, "1 times and 0 places"), (bomb, "DOCTYPE")):
        with pytest.raises(InvalidInput, match=words) as fault:
            format_of_file(path).read(path)
        assert str(path) in str(fault.value)


def bus_frames():
    """Two minutes at 72 km/h of the van's bus: speed, pack and charge ten times a second."""
    database = cantools.database.load_file(own_dbc())
    began = datetime(2026, 5, 2, 8, 30).timestamp()
    for k in range(1200):
        for message in database.messages:
            values = {s.name: max(s.minimum or 0.0, 0.0) for s in message.signals}
            for name in values:
                low = name.lower()
                if "speed" in low:
                    values[name] = 72.0
                elif "volt" in low:
                    values[name] = 400.0
                elif "curr" in low or "amp" in low:
                    values[name] = 40.0
                elif "charge" in low:
                    values[name] = 80.0
            yield can.Message(
                timestamp=began + 0.1 * k,
                arbitration_id=message.frame_id,
                is_extended_id=message.is_extended_frame,
                data=message.encode(values, strict=False),
                channel=0,
            )


@pytest.mark.parametrize("suffix", [".asc", ".blf", ".mf4"])
def test_frames_of_a_bus_are_decoded_by_the_dbc_beside_them(suffix, tmp_path):
    path = tmp_path / f"drive{suffix}"
    with can.Logger(str(path)) as logger:
        for frame in bus_frames():
            logger.on_message_received(frame)
    assert recognise(path).kind == "track"
    with pytest.raises(InvalidInput, match=r"the vehicle's DBC beside it as drive\.dbc \(there: none\)"):
        format_of_file(path).read(path)
    shutil.copy(own_dbc(), tmp_path / "any name.dbc")
    log = format_of_file(path).read(path)
    assert not format_of_file(path).in_utc
    assert log.trace.speed_kmh == pytest.approx(np.full(len(log.trace.time_s), 72.0), abs=0.1)
    assert log.trace.time_s[-1] == pytest.approx(119.9, abs=0.3) and len(log.trace.time_s) > 1000
    assert log.trace.power_kw[100:-100] == pytest.approx(np.full(len(log.trace.time_s) - 200, 16.0), abs=0.1)
    assert log.trace.soc_percent[500] == pytest.approx(80.0, abs=0.5)
    assert "decoded by any name.dbc" in log.notices[0]
    assert log.started_at is not None and log.started_at.date() == datetime(2026, 5, 2).date()


def test_of_several_dbc_files_none_is_guessed(tmp_path):
    path = tmp_path / "drive.asc"
    with can.Logger(str(path)) as logger:
        for frame in bus_frames():
            logger.on_message_received(frame)
    for name in ("a.dbc", "b.dbc"):
        shutil.copy(own_dbc(), tmp_path / name)
    with pytest.raises(InvalidInput, match=r"there: a\.dbc, b\.dbc"):
        format_of_file(path).read(path)
    shutil.copy(own_dbc(), tmp_path / "drive.dbc")
    assert len(format_of_file(path).read(path).trace.time_s) > 1000


def test_the_dbc_of_another_vehicle_is_told(tmp_path):
    path = tmp_path / "drive.blf"
    with can.Logger(str(path)) as logger:
        logger.on_message_received(
            can.Message(timestamp=1.7e9, arbitration_id=0x7FF, data=b"\1\2", is_extended_id=False)
        )
    shutil.copy(own_dbc(), tmp_path / "drive.dbc")
    with pytest.raises(InvalidInput, match="is it the DBC of this vehicle"):
        format_of_file(path).read(path)
