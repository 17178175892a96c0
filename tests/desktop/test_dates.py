"""Dates stand in the order of day and month that the desktop's locale writes (CLDR, as the toolkit has it)."""

from datetime import date, datetime, time

import pytest
from PySide6.QtWidgets import QApplication
from tests.desktop.on_the_road import plan

from fairmargin.desktop.dialogs.recovering import copy_words
from fairmargin.desktop.stages.planning.day_page import DayPage
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.logbook.copies import Copy

DAY = date(2026, 4, 8)


@pytest.mark.parametrize(
    "locale, short, long",
    [
        ("C", "Wed 08 Apr 2026", "08 April 2026"),
        ("en_GB", "Wed 08 Apr 2026", "08 April 2026"),
        ("de_DE", "Wed 08 Apr 2026", "08 April 2026"),
        ("sv_SE", "Wed 08 Apr 2026", "08 April 2026"),  # year, month, day: in English words nobody writes that
        ("en_US", "Wed, Apr 8, 2026", "April 8, 2026"),
        ("en_PH", "Wed, Apr 8, 2026", "April 8, 2026"),
    ],
)
def test_day_and_month_stand_as_the_locale_has_them(at_home_in, locale, short, long):
    at_home_in(locale)
    assert day_words(DAY, weekday=True) == short
    assert day_words(DAY, long=True) == long
    assert day_words(DAY, year=False) == short[4:-5].strip(", ")


@pytest.mark.parametrize("locale, words", [("C", "Wednesday 08 April: 09:00"), ("en_US", "Wednesday, April 8: 09:00")])
def test_the_day_is_headed_by_its_date(window, at_home_in, locale, words):
    at_home_in(locale)
    study = plan()
    window.session.add_study(study.with_(plan=study.plan.with_(day=DAY, start=time(9, 0))))
    window.go_to("plan")
    stage = window.stage("plan")
    stage.show_page("day")
    QApplication.processEvents()
    assert stage.findChild(DayPage).heading.text().startswith(words)


def test_copies_are_told_by_their_date(at_home_in, tmp_path):
    copy = Copy(tmp_path / "x", datetime(2026, 4, 8, 7, 5), "before an import", 2_400_000)
    assert copy_words(copy).startswith("Wed 08 Apr 2026, 07:05")
    at_home_in("en_US")
    assert copy_words(copy).startswith("Wed, Apr 8, 2026, 07:05")
