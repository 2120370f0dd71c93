"""After any edits and undos the window shows what the judge says, and nothing else."""

import random
from dataclasses import replace

import pytest

from vastcellar.services.match.judging import judge_camera
from vastcellar.services.words.verdict_wording import verdict_sentence

CABLES = ("wr-10g", "wr-5g-ac", "wr-20g", "wr-40g-08")


def edit_somehow(document, rng):
    """Do one thing that somebody does in the window."""
    shoot = document.shoot
    camera = shoot.cameras[rng.randrange(len(shoot.cameras))]
    what = rng.choice(("take", "headroom", "room", "cable", "format", "none", "undo", "redo", "to"))
    if what == "take":
        take_s = rng.choice((60.0, 900.0, 5000.0))
        document.edit_camera(replace(camera, longest_take_s=take_s), "take")
    elif what == "headroom":
        document.edit_camera(replace(camera, headroom=rng.choice((0.0, 0.2, 1.0))), "headroom")
    elif what == "room":
        document.edit(replace(shoot, ambient_c=rng.choice((5.0, 24.0, 38.0))), "room")
    elif what == "cable" and camera.setup is not None:
        setup = replace(camera.setup, cable_key=rng.choice(CABLES))
        document.edit_camera(replace(camera, setup=setup), "cable")
    elif what == "format" and camera.setup is not None:
        setup = replace(camera.setup, is_encrypted=not camera.setup.is_encrypted)
        document.edit_camera(replace(camera, setup=setup), "format")
    elif what == "none":
        document.edit_camera(replace(camera, setup=None), "nothing chosen")
    elif what == "undo":
        document.undo_stack.undo()
    elif what == "redo":
        document.undo_stack.redo()
    else:
        document.choose(camera.key)


@pytest.mark.parametrize("seed", range(6))
def test_what_the_window_shows_is_what_the_judge_says(app, qtbot, seed):
    """Sixty random edits, undos and choices: every verdict on the screen is the judge's own."""
    rng, workbench = random.Random(seed), app.workbench
    match = app.window.station("match")
    for _ in range(6):
        for _ in range(10):
            edit_somehow(workbench.document, rng)
        with qtbot.waitSignal(workbench.judged):
            workbench._judge_soon.start()
        shoot = workbench.document.shoot
        for camera in shoot.cameras:
            found = judge_camera(shoot, camera, workbench.catalog, workbench.shelf)
            shown = workbench.judgements[camera.key]
            assert (shown.verdict, shown.margin) == (found.verdict, found.margin)
            assert (shown.bottleneck, shown.evidence) == (found.bottleneck, found.evidence)
        subject = workbench.subject
        own = judge_camera(shoot, subject, workbench.catalog, workbench.shelf)
        assert match.verdict.sentence.text() == verdict_sentence(own, subject, app.look.numbers)


def test_undoing_everything_is_the_shoot_as_it_was_opened(app, qtbot):
    """However many edits, the undo stack leads back to the value that was there."""
    rng, document = random.Random(11), app.workbench.document
    opened = document.shoot
    for _ in range(40):
        edit_somehow(document, rng)
    while document.undo_stack.canUndo():
        document.undo_stack.undo()
    assert document.shoot == opened
    while document.undo_stack.canRedo():
        document.undo_stack.redo()
    while document.undo_stack.canUndo():
        document.undo_stack.undo()
    assert document.shoot == opened
