"""What comes from files and names steers no terminal, in print and in errors."""

import json

from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.errors import BadFileError
from vastcellar.core.printable import escaped, printable

STEERING = "\x00\x07\x08\r\x1b\x7f\x9b\u202e\u2066"


def test_what_can_be_read_stays_as_it_is():
    """Letters of any script and plain white space are shown unchanged."""
    text = "Grün, Ü-Wagen 3 – 160 MB/s\n\t°C ✓ 日本"
    assert printable(text) == text


@given(st.text(alphabet=st.sampled_from("aé\n \u202eK" + STEERING), max_size=30))
def test_every_steering_character_is_marked_and_no_other_is_changed(text):
    """Characters that steer a terminal become visible marks, one for one."""
    shown = printable(text)
    assert len(shown) == len(text)
    assert not set(shown) & set(STEERING)
    assert all(new in (old, "\ufffd") for old, new in zip(text, shown, strict=True))


@given(st.text(max_size=40))
def test_escaped_json_is_the_same_content(text):
    """JSON with steering characters escaped is the same JSON."""
    content = {"name": text, "n": [1, None]}
    made = escaped(json.dumps(content, ensure_ascii=False, indent=2))
    assert json.loads(made) == content
    assert not set(made) & set(STEERING)


def test_an_error_names_a_file_without_obeying_it():
    """A file name can't move the cursor or set the title through an error."""
    said = str(BadFileError("it is bad", where="\x1b[2J\x1b]0;title\x07.json", mend="Mend it"))
    assert "\x1b" not in said and "\x07" not in said
    assert ".json" in said
