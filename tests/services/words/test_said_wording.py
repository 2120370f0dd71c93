"""Core says kinds and values; words and the country's numbers come from here."""

import ast
import math
import re
from pathlib import Path

import pytest

import vastcellar.core
from vastcellar.core.said import Said, said
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.services.words.said_wording import SENTENCES, said_words, sentence_of

CORE = Path(vastcellar.core.__file__).parent
GERMAN = NumberFormat(decimal_point=",", group=".")


def made_in_core():
    """Every call of ``said`` in core: its kind, and the names of its values."""
    for path in CORE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "said":
                kinds = [n.value for n in ast.walk(node.args[0]) if isinstance(n, ast.Constant)]
                names = {keyword.arg for keyword in node.keywords}
                yield path.name, [kind for kind in kinds if isinstance(kind, str)], names


def test_every_kind_has_its_sentence_and_no_sentence_is_left_over():
    """A statement without words would stop the screen; words without a statement are dead."""
    used = {kind for _, kinds, _ in made_in_core() for kind in kinds}
    # Standards and parts bring words of their own: those are handed through.
    assert used | {"text"} == set(SENTENCES)


def test_a_sentence_asks_for_no_value_that_core_does_not_hand_over():
    """Each name in braces is among the values, whichever place in core says it."""
    for where, kinds, names in made_in_core():
        for kind in kinds:
            asked = set(re.findall(r"{(\w+)}", SENTENCES[kind]))
            assert asked <= names, (where, kind)


def test_numbers_are_written_as_the_user_writes_them():
    """The same finding reads 1,274 MB/s here and 1.274 MB/s there; its values are the same."""
    fell = said("fell", before_bytes_per_s=1.274e9, after_bytes_per_s=98.4e6, written_bytes=6.25e9)
    assert sentence_of([fell], GERMAN) == "from 1.274 MB/s to 98 MB/s after 6,25 GB"
    here = NumberFormat(decimal_point=".", group=",")
    assert sentence_of([fell], here) == "from 1,274 MB/s to 98 MB/s after 6.25 GB"


@pytest.mark.parametrize(
    ("statement", "words"),
    [
        (said("too cool", at_c=38.2), "at 38 °C no drive throttles"),
        (
            said("too deep", left_share=0.121, held_s=421.0),
            "it fell to 12 % in one step and stayed there for 7 min 01 s: lower than a first "
            "throttle stage goes",
        ),
        (
            said("sawtooth", lows=5, depth_share=0.4, length_s=31.2, from_c=71.0),
            "5 lows of equal depth (40 % of the rate) and about 31 s after a quiet warm-up, each "
            "from 71 °C: a throttle's sawtooth",
        ),
        (
            said("sawtooth", lows=5, depth_share=0.4, length_s=31.2, from_c=math.nan),
            "5 lows of equal depth (40 % of the rate) and about 31 s after a quiet warm-up: a "
            "throttle's sawtooth",
        ),
        (said("cooled", cooled_k=12.4), "it cooled 12 K and stayed slow"),
        (said("same as in run", run=1), "the same fall as in run 1"),
    ],
)
def test_the_end_of_a_name_is_its_unit(statement, words):
    """Degrees, shares, times, kelvin and counts are each written in their own way."""
    assert said_words(statement, PLAIN) == words


def test_statements_about_one_thing_make_one_sentence():
    """What happened and why it is believed stand in one sentence, in that order."""
    both = (said("no slowdown", seen_bytes=5e9, seen_s=60.0), Said("alike here"))
    assert sentence_of(both, PLAIN) == (
        "no slowdown in 5 GB and 1 min; a full cache and a throttling drive look alike here"
    )
