"""The menu entry, icon and description, put where a desktop looks for them."""

import os
import shlex
import sys
from pathlib import Path

from calm_relay.data import shipped
from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.files import write_atomically

PLACES = {
    "desktop/calm-relay.desktop": "applications/calm-relay.desktop",
    "icons/calm-relay.svg": "icons/hicolor/scalable/apps/calm-relay.svg",
    "desktop/calm-relay.metainfo.xml": "metainfo/calm-relay.metainfo.xml",
}


def program() -> str:
    """The command that starts this very installation, quoted for a menu entry.

    Nothing is imported from the folder in which it is run.
    """
    return shlex.join([sys.executable, "-P", "-m", "calm_relay"])


def install(data_home: Path | None = None) -> list[Path]:
    """Writes the files below the user's data folder; returns them.

    Parameters
    ----------
    data_home : Path, optional
        Where they go; `XDG_DATA_HOME`, else `~/.local/share`.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    home = data_home or Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    written = []
    for source, place in PLACES.items():
        target = home / place
        target.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(target, read_text(shipped(source), "shipped").replace("@PROGRAM@", program()).encode())
        written.append(target)
    return written
