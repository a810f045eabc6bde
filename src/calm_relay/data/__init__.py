"""Files that ship with the application."""

from importlib.resources import files
from pathlib import Path


def shipped(name: str) -> Path:
    """Path of a file that ships with the application, such as `catalogue.json`."""
    return Path(str(files(__name__) / name))
