"""Where things are kept, by the XDG rules; the demo has folders of its own."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from platformdirs import PlatformDirs


@dataclass(frozen=True, slots=True)
class Folders:
    """The folders of one workplace."""

    data: Path
    """Cellar and the user's catalog files."""
    state: Path
    """Autosave and the notes of running tests: can be lost without losing work."""
    config: Path

    @property
    def cellar_file(self) -> Path:
        """The cellar's database."""
        return self.data / "cellar.db"

    @property
    def catalog_folder(self) -> Path:
        """Catalog files of the user, laid over the shipped ones."""
        return self.data / "catalog"

    @property
    def protocols_folder(self) -> Path:
        """Protocols of the user, laid over the shipped ones."""
        return self.data / "protocols"

    @property
    def test_notes(self) -> Path:
        """Notes of tests that run, or were killed."""
        return self.state / "tests"

    @property
    def rescued(self) -> Path:
        """Runs that the cellar couldn't take."""
        return self.state / "rescued"

    @property
    def unsaved_folder(self) -> Path:
        """Edits that are not saved yet, of each window in a file of its own."""
        return self.state / "unsaved"

    @property
    def autosave_file(self) -> Path:
        """The same, of versions that knew one window only."""
        return self.state / "unsaved.json"

    @property
    def recent_file(self) -> Path:
        """Paths of shoots opened lately."""
        return self.config / "recent.json"


def folders(*, demo: bool) -> Folders:
    """Return the user's folders, or those of the demo, which never touch the user's."""
    dirs = PlatformDirs("vast-cellar", appauthor=False)
    data, state, config = (
        Path(dirs.user_data_dir),
        Path(dirs.user_state_dir),
        Path(dirs.user_config_dir),
    )
    if demo:
        return Folders(data / "demo", state / "demo", config / "demo")
    return Folders(data, state, config)
