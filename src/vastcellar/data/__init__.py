"""What ships with the application: catalog, demo, fonts."""

from importlib.resources import files
from pathlib import Path


def data_path(*parts: str) -> Path:
    """Return the path of a shipped file."""
    return Path(str(files(__name__).joinpath(*parts)))
