"""What the shelf says of a unit in a word or two."""

from types import SimpleNamespace

import pytest

from vastcellar.core.verdict.proof import RunConditions
from vastcellar.services.words.reach_wording import proof_word


@pytest.mark.parametrize(
    ("is_passed", "is_simulated", "word"),
    [
        (True, False, "proved"),
        (True, True, "simulated"),
        (False, False, "lost frames"),
        (False, True, "simulated, lost frames"),
    ],
)
def test_a_unit_that_lost_frames_is_never_called_proved(is_passed, is_simulated, word):
    """Proved to fall short is a proof, too, and nobody must read it as one that it holds."""
    made = SimpleNamespace(
        is_passed=is_passed, is_simulated=is_simulated, conditions=RunConditions("K-07")
    )
    assert proof_word(made) == word
    assert proof_word(None) == "not proved yet"
    made.conditions = RunConditions("K-07", stated_by="theirs.json")
    assert proof_word(made) == (f"{word}, imported" if is_passed else word)
