"""Attachments: small, named plainly, each by a name of its own."""

import base64

import pytest
from tests.conftest import driven_study

from fairmargin.core.study import Study
from fairmargin.core.study.attachments import MOST_BYTES, MOST_OF_A_STUDY, Attachment, attachment


def test_a_name_is_made_plain_and_its_own():
    first = attachment("Tyre plate (door).JPG", b"x", "tyre plate")
    assert first.file == "Tyre-plate-door.JPG" and first.content == b"x" and first.is_picture
    assert attachment("Tyre plate (door).JPG", b"y", "load", taken=(first.file,)).file == "Tyre-plate-door-2.JPG"
    assert attachment("../../.etc/passwd", b"x", "study").file == "file.etc-passwd"
    assert attachment("\u5199\u771f.png", b"x", "L01").file == "file.png"


def test_what_is_too_large_or_empty_or_badly_named_is_refused():
    with pytest.raises(ValueError, match="151 kB are too much; expected at most 150 kB"):
        attachment("photo.tif", b"x" * (MOST_BYTES + 1000), "L01")
    with pytest.raises(ValueError, match="empty"):
        attachment("photo.jpg", b"", "L01")
    for bad in ("../x.jpg", "a/b.jpg", "", ".hidden", "x" * 90):
        with pytest.raises(ValueError, match="no name of an attachment"):
            Attachment(file=bad)
    with pytest.raises(ValueError, match="too much"):
        Attachment(file="x.jpg", data=base64.b64encode(b"x" * (MOST_BYTES + 1)).decode())
    with pytest.raises(ValueError, match="no base64"):
        Attachment(file="x.jpg", data="\u00e4")


def test_a_study_holds_so_much_and_names_differ():
    study = driven_study("AB")
    one = attachment("x.jpg", b"1", "L01")
    with pytest.raises(ValueError, match="names of their own"):
        study.with_(attachments=(one, one))
    many = tuple(attachment(f"{i}.jpg", b"x" * MOST_BYTES, "L01") for i in range(MOST_OF_A_STUDY // MOST_BYTES + 1))
    with pytest.raises(ValueError, match="1650 kB; expected at most 1500 kB"):
        study.with_(attachments=many)
    kept = study.with_(attachments=many[:3])
    # As the logbook keeps it: whole, in the study's own record.
    assert Study.model_validate_json(kept.model_dump_json(by_alias=True, exclude_none=True)).attachments == many[:3]
    assert base64.b64decode(kept.attachments[0].data) == b"x" * MOST_BYTES
