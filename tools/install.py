"""Puts the program among the desktop's applications, for one user, and takes it away again.

python tools/install.py PREFIX             after the program is in PREFIX/bin
python tools/install.py PREFIX --remove
"""

from __future__ import annotations

import argparse
import shutil
import subprocess
from importlib.metadata import version
from pathlib import Path

from nightly_spindle.core.base.desktop_entries import exec_word

HERE = Path(__file__).parents[1]
NAME = "org.nightlyspindle.Desk"
_REQUESTS = {"TH", "SH", "SS", "TP", "PP", "IP", "RS", "RE", "B", "I", "br", "nf", "fi", "in", "sp"}
SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
ICON = HERE / "src/nightly_spindle/desk/assets/icons/application.svg"


def places(share: Path) -> dict[str, Path]:
    """Return where each file goes, below a share folder (XDG base directories)."""
    icons = share / "icons/hicolor"
    return {
        "entry": share / "applications" / f"{NAME}.desktop",
        "metainfo": share / "metainfo" / f"{NAME}.metainfo.xml",
        "mime": share / "mime/packages" / f"{NAME}.xml",
        "man": share / "man/man1/nightly-spindle.1",
        "scalable": icons / "scalable/apps" / f"{NAME}.svg",
        **{f"{size}": icons / f"{size}x{size}/apps" / f"{NAME}.png" for size in SIZES},
    }


def install(prefix: Path) -> None:
    """Write entry, metainfo, MIME type, icons in all sizes and the man page."""
    to = places(prefix / "share")
    for path in to.values():
        path.parent.mkdir(parents=True, exist_ok=True)
    entry = (HERE / "packaging" / f"{NAME}.desktop").read_text(encoding="utf-8")
    program = prefix / "bin" / "nightly-spindle"
    # a session may have another path than a terminal: the program is named where it is
    to["entry"].write_text(
        entry.replace("Exec=nightly-spindle", f"Exec={exec_word(str(program))}"), encoding="utf-8"
    )
    shutil.copy(HERE / "packaging" / f"{NAME}.metainfo.xml", to["metainfo"])
    shutil.copy(HERE / "packaging" / f"{NAME}.mime.xml", to["mime"])
    shutil.copy(ICON, to["scalable"])
    draw_icons(to)
    to["man"].write_text(man_page(), encoding="utf-8")
    _refresh(prefix / "share")


def draw_icons(to: dict[str, Path]) -> None:
    """Draw the icon in every size."""
    from PySide6.QtCore import Qt
    from PySide6.QtGui import QImage, QPainter
    from PySide6.QtSvg import QSvgRenderer

    renderer = QSvgRenderer(str(ICON))
    for size in SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        renderer.render(painter)
        painter.end()
        image.save(str(to[f"{size}"]))


def man_page() -> str:
    """Return the man page, grown from the parser of the command line."""
    from argparse_manpage.manpage import Manpage

    from nightly_spindle.cli.main import whole_parser

    page = Manpage(whole_parser())
    page.source = f"nightly-spindle {version('nightly-spindle')}"
    page.manual = "Nightly Spindle"
    page.description = "runs a small internet radio station unattended all night"
    return "\n".join(map(_escaped, str(page).splitlines())) + "\n"


def _escaped(line: str) -> str:
    """Keep a line of text that begins like a request of roff from being one (groff_man(7))."""
    request = line[1:].partition(" ")[0]
    wrong = line.startswith("'") or (line.startswith(".") and request not in _REQUESTS)
    return f"\\&{line}" if wrong else line


def remove(prefix: Path) -> None:
    """Remove what `install` wrote."""
    for path in places(prefix / "share").values():
        path.unlink(missing_ok=True)
    _refresh(prefix / "share")


def _refresh(share: Path) -> None:
    """Have the desktop look again, with whatever of its tools is there."""
    for words in (
        ["update-desktop-database", "-q", str(share / "applications")],
        ["update-mime-database", str(share / "mime")],
        ["gtk-update-icon-cache", "-qtf", str(share / "icons/hicolor")],
    ):
        if shutil.which(words[0]) and Path(words[-1]).is_dir():
            subprocess.run(words, check=False, capture_output=True)


def main() -> None:
    """Install or remove."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("prefix", type=Path)
    parser.add_argument("--remove", action="store_true")
    options = parser.parse_args()
    (remove if options.remove else install)(options.prefix.expanduser().absolute())


if __name__ == "__main__":
    main()
