"""Where the demo station lies."""

from __future__ import annotations

from pathlib import Path


def demo_folder() -> Path:
    """Return where the demo station lies: in the user's data folder."""
    import platformdirs

    return Path(platformdirs.user_data_dir("nightly-spindle")) / "demo-station"
