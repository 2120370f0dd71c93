"""Photos of a unit in the real window: added, looked at, taken back."""

import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLabel


@pytest.fixture
def card(app, qtbot):
    """The unit K-10 in the Cellar, on its page of photos."""
    app.window.show()
    app.window.show_station("cellar")
    page = app.window.station("cellar").shelf_page
    qtbot.waitUntil(lambda: bool(page._desk.shown))
    page.shelf.choose("K-10")
    page.card.tabs[3].setChecked(True)
    return page.card


def picture(path, color, size=(300, 200)):
    Image.new("RGB", size, color).save(path)
    return path


def dropped(page, *paths):
    """Drop files onto the page."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(QPoint(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                       Qt.KeyboardModifier.NoModifier)  # fmt: skip
    page.dropEvent(event)


def test_photos_are_dropped_shown_enlarged_and_undone(app, card, qtbot, tmp_path):
    """Two files, two photos, the newest first; Enter shows one large; undo takes the last back."""
    page = card.photos
    assert page.none.isVisibleTo(page) and not page.save_button.isVisibleTo(page)
    dropped(
        page, picture(tmp_path / "a.jpg", (200, 0, 0)), picture(tmp_path / "b.png", (0, 0, 200))
    )
    qtbot.waitUntil(lambda: page.list.count() == 2)
    assert not page.none.isVisibleTo(page)
    first = page.list.item(0).icon().pixmap(50, 50).toImage().pixelColor(20, 16)
    assert first.blue() > first.red()
    shown = page.large(0).findChild(QLabel).pixmap()
    assert (shown.width(), shown.height()) == (300, 200)
    qtbot.waitUntil(lambda: "photo b.png" in str(card.story.index(0, 1).data()))
    app.workbench.units.undo_stack.undo()
    qtbot.waitUntil(lambda: page.list.count() == 1)
    (tmp_path / "b.png").unlink()
    app.workbench.units.undo_stack.redo()
    qtbot.waitUntil(lambda: page.list.count() == 2)


def test_another_unit_has_none_of_them(card, qtbot, tmp_path):
    """Chosen, it shows its own; back again, those of the first are there."""
    card.add_photo(picture(tmp_path / "a.jpg", (1, 2, 3)))
    qtbot.waitUntil(lambda: card.photos.list.count() == 1)
    page = card.parent()
    while not hasattr(page, "shelf"):
        page = page.parent()
    page.shelf.choose("K-11")
    assert card.photos.list.count() == 0
    page.shelf.choose("K-10")
    qtbot.waitUntil(lambda: card.photos.list.count() == 1)


def test_by_the_button_and_saved_again(card, qtbot, tmp_path, monkeypatch):
    """A file is chosen, then a folder; what is no picture is said and nothing is kept."""
    told = []
    card._workbench.trouble.connect(lambda error: told.append(str(error)))
    (tmp_path / "x.jpg").write_text("x")
    files = iter([str(tmp_path / "x.jpg"), str(picture(tmp_path / "a.jpg", (9, 9, 9))), ""])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (next(files), ""))
    for _ in range(3):
        QTest.mouseClick(card.photos.add_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: card.photos.list.count() == 1)
    assert len(told) == 1 and "no picture" in told[0]
    (tmp_path / "out").mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "out"))
    QTest.mouseClick(card.photos.save_button, Qt.MouseButton.LeftButton)
    assert [each.suffix for each in (tmp_path / "out").iterdir()] == [".jpg"]
