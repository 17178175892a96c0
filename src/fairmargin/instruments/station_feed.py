"""Weather of a station over HTTP (or a file it writes): METAR text or the station's CSV."""

from __future__ import annotations

import time
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Final
from urllib.parse import urlsplit
from urllib.request import ProxyHandler, Request, build_opener

from fairmargin.core.study import WeatherRow
from fairmargin.exchange.meteorology.stations import read_weather
from fairmargin.instruments.samples import duration_words

TIMEOUT_S: Final = 8.0
ANSWER_S: Final = 12.0  # a whole answer takes no longer
MOST_BYTES: Final = 20_000_000
CHUNK: Final = 65_536
LINES_KEPT: Final = 200
AHEAD: Final = timedelta(minutes=20)  # a station's clock may be set by hand
OLDEST: Final = timedelta(hours=3)  # stations report every hour, some every third


def check_address(text: str) -> str:
    """Return an address of a station (ValueError if it is none)."""
    typed = text.strip()
    parts = urlsplit(typed)
    if parts.scheme in {"http", "https"} and parts.netloc:
        return typed
    if parts.scheme == "file" and parts.path:
        return typed
    if typed.startswith("/"):
        return f"file://{typed}"
    raise ValueError(f'"{text}" is no station address; expected http://..., or the path of a file')


def fetch(url: str, now: datetime) -> WeatherRow:
    """Fetch the newest report of a station.

    Parameters
    ----------
    url : str
    now : datetime
        Moment on the drive's clock; a METAR states day and time only.

    Raises
    ------
    OSError
        If the station does not answer.
    ValueError
        If what it answers is no weather, in words.
    """
    request = Request(check_address(url), headers={"User-Agent": "fairmargin"})
    # A station on this machine is never reached through a proxy.
    near = urlsplit(request.full_url).hostname in {"127.0.0.1", "localhost", "::1"}
    opener = build_opener(ProxyHandler({})) if near else build_opener()
    until = time.monotonic() + ANSWER_S
    parts: list[bytes] = []
    size = 0
    with opener.open(request, timeout=TIMEOUT_S) as answer:
        # A station that drips byte by byte would keep a single reading waiting for ever.
        some = getattr(answer, "read1", answer.read)
        while chunk := some(CHUNK):
            parts.append(chunk)
            size += len(chunk)
            if size > MOST_BYTES:
                raise ValueError(f"more than {MOST_BYTES} bytes; expected the newest reports")
            if time.monotonic() > until:
                raise OSError(f"the answer is not whole after {ANSWER_S:.0f} s")
    data = b"".join(parts)
    lines = data.decode("utf-8", errors="replace").splitlines()
    if len(lines) > 2 * LINES_KEPT:  # a station's file of months; the newest stand last, or first
        lines = [*lines[: LINES_KEPT + 1], *lines[-LINES_KEPT:]]
    rows, _ = read_weather("\n".join(lines), now)
    return newest(rows, now)


def newest(rows: Sequence[WeatherRow], now: datetime) -> WeatherRow:
    """The newest of a station's reports that is not of the future.

    Raises
    ------
    ValueError
        If all are ahead of the clock, or the newest is too old to be this weather.
    """
    local = now.replace(tzinfo=None)
    past = [row for row in rows if row.time.replace(tzinfo=None) - local <= AHEAD]
    if not past:
        ahead = min(row.time.replace(tzinfo=None) for row in rows) - local
        raise ValueError(
            f"its report is of {min(row.time for row in rows):%d %B %H:%M}, {duration_words(ahead.total_seconds())} ahead of this "
            "computer's clock: not used"
        )
    found = max(past, key=lambda row: row.time.replace(tzinfo=None))
    age = local - found.time.replace(tzinfo=None)
    if age > OLDEST:
        raise ValueError(
            f"its newest report is of {found.time:%d %B %H:%M}, {duration_words(age.total_seconds())} ago: not used"
        )
    return found
