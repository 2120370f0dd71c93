"""What somebody does in the window that more than one test does."""

from __future__ import annotations


def start_in_folder(page) -> None:
    """Start the planned test in Prove's folder, and say that its device is the unit, if asked."""
    page.start()
    if page.binding.isVisibleTo(page):
        page.binding.yes.click()
