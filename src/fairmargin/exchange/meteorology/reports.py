"""METAR and TAF text to a forecast.

METAR is read by the package ``metar`` (WMO Manual on Codes, FM 15). Of a TAF (FM 51) the prevailing group's
wind and weather are read, by the same code form; its change groups are listed, not merged.
"""

from __future__ import annotations

import re
import warnings

from fairmargin.core.study.plan import Forecast
from fairmargin.core.units import M_S_PER_KNOT

RAIN = re.compile(r"^[-+]?(?:VC)?(?:SH|TS|FZ)*(?:RA|DZ|SN|SG|PL|GR|GS|UP)+[A-Z]*$")
_WIND = re.compile(r"^(?P<from>\d{3}|VRB)(?P<speed>\d{2,3})(?:G(?P<gust>\d{2,3}))?(?P<unit>KT|MPS|KMH)$")
_TO_M_S = {"KT": M_S_PER_KNOT, "MPS": 1.0, "KMH": 1 / 3.6}
_CHANGE = re.compile(r"^(?:FM\d{6}|BECMG|TEMPO|PROB\d{2})$")


def is_metar(text: str) -> bool:
    """Whether a text begins as a METAR or SPECI does, however many lines it was copied over."""
    return bool(re.match(r"^\s*(?:METAR|SPECI)\b|^\s*[A-Z]{4}\s+\d{6}Z\b", text))


def wind_of(word: str) -> tuple[float, float | None, float | None] | None:
    """Speed, gust [m/s] and direction [degrees; None where it varies] of a wind group; None of another group."""
    m = _WIND.match(word)
    if m is None:
        return None
    factor = _TO_M_S[m["unit"]]
    gust = round(float(m["gust"]) * factor, 1) if m["gust"] else None
    return round(float(m["speed"]) * factor, 1), gust, None if m["from"] == "VRB" else float(m["from"])


def read_report(text: str) -> Forecast:
    """Read one METAR, SPECI or TAF.

    Raises
    ------
    ValueError
        If it is neither, naming the group that could not be read.
    """
    words = text.replace("=", " ").split()
    if not words:
        raise ValueError("empty; expected a METAR or TAF such as METAR ZZZZ 120950Z 24008KT 9999 15/09 Q1016")
    if words[0] == "TAF":
        return _taf(words)
    return _metar(" ".join(words))


def _metar(text: str) -> Forecast:
    from metar.Metar import Metar, ParserError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # groups it does not know; what was read is checked below
            report = Metar(text, strict=False)
    except ParserError as error:
        raise ValueError(f"not a METAR: {error}") from error
    if report.wind_speed is None and report.temp is None:
        raise ValueError("not a METAR: neither wind nor temperature found in it")
    rain = any(RAIN.match(group) for group in text.split()[2:])
    return Forecast(
        wind_speed_ms=None if report.wind_speed is None else round(report.wind_speed.value("MPS"), 1),
        wind_gust_ms=None if report.wind_gust is None else round(report.wind_gust.value("MPS"), 1),
        wind_from_deg=None if report.wind_dir is None else report.wind_dir.value(),
        temperature_c=None if report.temp is None else report.temp.value("C"),
        pressure_hpa=None if report.press is None else round(report.press.value("HPA"), 1),
        rain=rain,
        source=text,
    )


def _taf(words: list[str]) -> Forecast:
    prevailing: list[str] = []
    for word in words[1:]:
        if _CHANGE.match(word):
            break
        prevailing.append(word)
    wind = next((found for word in prevailing if (found := wind_of(word)) is not None), None)
    if wind is None:
        raise ValueError("not a TAF: no wind group such as 24008KT before its first change group")
    warmest = [re.match(r"^TX(M?)(\d{2})/", word) for word in words]
    temperatures = [(-1 if m[1] else 1) * float(m[2]) for m in warmest if m]
    return Forecast(
        wind_speed_ms=wind[0],
        wind_gust_ms=wind[1],
        wind_from_deg=wind[2],
        temperature_c=temperatures[0] if temperatures else None,
        rain=any(RAIN.match(word) for word in words[1:]),
        source=" ".join(words),
    )
