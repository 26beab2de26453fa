"""What the desktop is given: entry, metainfo, icons, MIME type, man page; all of it goes again."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tools"))

from nightly_spindle.cli.main import whole_parser

PACKAGING = ROOT / "packaging"


@pytest.fixture
def prefix(tmp_path):
    pytest.importorskip("PySide6")
    import install

    made = tmp_path / "own place"
    install.install(made)
    yield made
    install.remove(made)
    left = [str(path) for path in made.rglob("*") if path.is_file()]
    # what the desktop's tools have written beside are lists of theirs
    assert not [path for path in left if "ightly" in Path(path).name]
    assert not any("ightly" in Path(path).read_text("utf-8", "replace") for path in left)


def checked(*words):
    """Run a validator of the desktop's (Debian: desktop-file-utils, appstream), if it is there."""
    if not shutil.which(words[0]):
        pytest.skip(f"{words[0]} is not installed")
    return subprocess.run(words, capture_output=True, text=True, check=False)


def test_entry_and_metainfo_are_valid(prefix):
    entry = next((prefix / "share/applications").glob("*.desktop"))
    made = checked("desktop-file-validate", str(entry))
    assert (made.returncode, made.stdout) == (0, "")
    metainfo = next((prefix / "share/metainfo").iterdir())
    made = checked("appstreamcli", "validate", "--no-net", str(metainfo))
    assert made.returncode == 0, made.stdout


def test_the_entry_starts_the_program_where_it_is(prefix):
    entry = next((prefix / "share/applications").glob("*.desktop")).read_text(encoding="utf-8")
    assert f'Exec="{prefix}/bin/nightly-spindle" %f' in entry


def test_icons_are_drawn_in_every_size(prefix):
    from PySide6.QtGui import QImage

    sizes = set()
    for file in (prefix / "share/icons").rglob("*.png"):
        image = QImage(str(file))
        assert file.parent.parent.name == f"{image.width()}x{image.height()}"
        colours = {image.pixel(x, y) for x in range(image.width()) for y in range(image.height())}
        assert len(colours) > 5, "something is drawn"
        sizes.add(image.width())
    assert {16, 32, 48, 64, 128, 256, 512} <= sizes


def test_the_man_page_has_every_command(prefix):
    page = (prefix / "share/man/man1/nightly-spindle.1").read_text(encoding="utf-8")
    commands = next(
        action.choices for action in whole_parser()._actions if hasattr(action, "choices")
        and isinstance(action.choices, dict)
    )  # fmt: skip
    for name in commands:
        assert f"nightly\\-spindle {name}" in page or f"nightly-spindle {name}" in page, name
    made = checked("man", "--warnings", "-l", str(prefix / "share/man/man1/nightly-spindle.1"))
    assert made.stderr == ""


def test_the_mime_type_is_that_of_our_backups(prefix):
    import defusedxml.ElementTree as ET  # noqa: N817 - as it is called everywhere

    from nightly_spindle.store.station.backups import SUFFIX

    mime = ET.parse(next((prefix / "share/mime/packages").glob("*.xml"))).getroot()
    space = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}
    (glob,) = mime.findall(".//m:glob", space)
    assert glob.get("pattern") == f"*{SUFFIX}"
    named = mime.find("m:mime-type", space).get("type")
    assert named in (PACKAGING / "org.nightlyspindle.Desk.desktop").read_text()
    assert named in (PACKAGING / "org.nightlyspindle.Desk.metainfo.xml").read_text()


def test_the_version_is_one():
    from nightly_spindle import __version__

    assert f'version="{__version__}"' in (
        PACKAGING / "org.nightlyspindle.Desk.metainfo.xml"
    ).read_text(encoding="utf-8")
