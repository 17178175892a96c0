"""At home on the desktop: menu entry, icon, file types, shop window; in and out again, and what the wheel carries."""

import re
import subprocess
import sys
import tomllib
from pathlib import Path
from xml.etree import ElementTree

import pytest
from PySide6.QtCore import QCoreApplication, QMimeDatabase
from tests.conftest import driven_study

from fairmargin.desktop.system import install
from fairmargin.exchange.packages.writing import write_package

ROOT = Path(__file__).parents[2]


@pytest.fixture
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    monkeypatch.setenv("PATH", "/usr/bin:/bin")
    return tmp_path


def test_what_is_installed_is_taken_out_again_and_nothing_else(home):
    (home / "applications").mkdir()
    (home / "applications" / "other.desktop").write_text("not ours")
    (home / "fairmargin").mkdir()
    (home / "fairmargin" / "logbook.fairmargin").write_text("mine")
    wrote = [Path(line[6:]) for line in install.install() if line.startswith("wrote ")]
    assert len(wrote) == 4 and all(p.is_file() for p in wrote)
    gone = [Path(line[8:]) for line in install.uninstall() if line.startswith("removed ")]
    assert gone == wrote and not any(p.exists() for p in wrote)
    assert (home / "applications" / "other.desktop").exists() and (home / "fairmargin" / "logbook.fairmargin").exists()
    assert install.uninstall() == ["nothing was installed"]


def test_the_entry_starts_this_application_with_a_file(home):
    install.install()
    entry = (home / "applications" / "fairmargin.desktop").read_text()
    assert re.search(r'^Exec="/.*fairmargin" %f$', entry, re.MULTILINE)
    assert "application/x-fairmargin-logbook;application/x-fairmargin-package;" in entry


def test_the_desktop_knows_a_package_from_any_other_zip(home, qapp, tmp_path_factory):
    """By the shared-mime-info rules, as the toolkit's own reader of them applies them (in a process that starts with them)."""
    if not Path("/usr/bin/update-mime-database").exists():
        install.install()
        pytest.skip("no update-mime-database here")
    install.install()
    folder = tmp_path_factory.mktemp("files")
    write_package(folder / "study.zip", driven_study("AB"))
    (folder / "any.zip").write_bytes(b"PK\x03\x04" + bytes(26) + b"any.txt" + bytes(40))
    words = (
        "import sys; from PySide6.QtCore import QMimeDatabase\n"
        "for p in sys.argv[1:]: print(QMimeDatabase().mimeTypeForFile(p, QMimeDatabase.MatchMode.MatchContent).name())"
    )
    done = subprocess.run(
        [sys.executable, "-c", words, folder / "study.zip", folder / "any.zip"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.split() == ["application/x-fairmargin-package", "application/zip"]
    assert QCoreApplication.instance() is not None and QMimeDatabase is not None


def test_the_shop_window_names_the_entry_and_the_file_types():
    """AppStream 1.0, metainfo of a desktop application (from memory): id, name, summary, licences, launchable, provides."""
    data = ROOT / "src" / "fairmargin" / "desktop" / "data"
    told = ElementTree.parse(data / install.METAINFO).getroot()
    assert told.attrib["type"] == "desktop-application"
    assert told.findtext("launchable") == "fairmargin.desktop"
    types = {x.text for x in told.iter("mediatype")}
    mime = ElementTree.parse(data / "fairmargin-mime.xml").getroot()
    assert types == {x.attrib["type"] for x in mime if x.tag.endswith("mime-type")}
    assert told.findtext("metadata_license") and told.findtext("project_license") == "Apache-2.0"


def test_every_pinned_package_has_its_checksums_and_its_notice():
    lock = (ROOT / "requirements" / "app.lock").read_text()
    pins = re.findall(r"^([A-Za-z0-9_.-]+)==(\S+)((?: \\\n    --hash=sha256:[0-9a-f]{64})*)", lock, re.MULTILINE)
    assert len(pins) > 50 and all(hashes for _, _, hashes in pins)
    notices = (ROOT / "NOTICES.md").read_text()
    missing = [name for name, version, _ in pins if f"| {name} | {version} |" not in notices]
    assert not missing, "make notices"


def test_the_wheel_asks_for_bounds_and_carries_guide_schema_and_notices():
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())
    asked = project["project"]["dependencies"]
    assert not [x for x in asked if "==" in x] and all("<" in x for x in asked)
    assert project["project"]["requires-python"] == ">=3.11,<3.14"
    carried = project["tool"]["hatch"]["build"]["targets"]["wheel"]["force-include"]
    assert set(carried) == {"docs/guide.md", "docs/screenshots", "docs/study.schema.json", "NOTICES.md"}
    names = {re.split(r"[<>=!~ ]", x)[0].lower().replace("_", "-") for x in asked}
    locked = {
        p.lower()
        for p in re.findall(r"^([A-Za-z0-9_.-]+)==", (ROOT / "requirements" / "app.lock").read_text(), re.MULTILINE)
    }
    assert names <= locked
