"""The border for files: each limit by itself, on both of its sides, with its sentence."""

import json
import os

import pytest

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.store import reading
from vastcellar.store.reading import MOST_DEPTH, as_sentence, read_bytes, read_json, read_text


def kept(tmp_path, content):
    path = tmp_path / "a.json"
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


@pytest.mark.parametrize(
    ("content", "says"),
    [
        ("", "it is not JSON"),
        ('{"a": }', "line 1, column 7"),
        ("[" * (MOST_DEPTH + 1) + "]" * (MOST_DEPTH + 1), "nested deeper than 40"),
        ("[" * 200_000, "nested deeper than 40"),
        ("9" * 5_000, "a number of 5000 digits"),
        ("[1e29]", "the number 1e+29"),
        ("[1e999]", "the number inf"),
        ("[NaN]", "NaN stands in it"),
        ("[-Infinity]", "-Infinity stands in it"),
        ('["\\ud800"]', "half a character"),
        ('{"\\udfff": 1}', "half a character"),
        ('["a\\u0000b"]', "a zero character"),
        (json.dumps("x" * 100_001), "a text of 100,001 characters"),
        (b"\xff\xfe[]", "byte 0 is not UTF-8"),
    ],
)
def test_what_no_honest_file_holds_is_a_sentence(tmp_path, content, says):
    """Depth, size and values that no file needs are refused in a short sentence."""
    with pytest.raises(BadFileError) as told:
        read_json(kept(tmp_path, content))
    assert says in str(told.value)
    assert "a.json" in str(told.value)
    assert told.value.mend
    assert len(str(told.value)) < 400


@pytest.mark.parametrize(
    "content",
    [
        "[" * (MOST_DEPTH - 2) + "]" * (MOST_DEPTH - 2),
        "[1e24, -1e24, true, null]",
        json.dumps("x" * 100_000),
        json.dumps(["Grün", "日本", "a\tb\nc"]),
    ],
)
def test_what_an_honest_file_may_hold_comes_as_it_is(tmp_path, content):
    """What an honest file holds is read as the plain parser does."""
    assert read_json(kept(tmp_path, content)) == json.loads(content)


def test_a_byte_order_mark_is_left_out(tmp_path):
    """A byte order mark isn't part of the text."""
    assert read_text(kept(tmp_path, b"\xef\xbb\xbf[1]")) == "[1]"


def test_more_than_there_may_be_is_refused_by_count_and_by_size(tmp_path, monkeypatch):
    """Too many values or bytes are refused before they are built up."""
    monkeypatch.setattr(reading, "MOST_NODES", 50)
    assert read_json(kept(tmp_path, json.dumps([0] * 40)))
    with pytest.raises(BadFileError, match="more than 50 things"):
        read_json(kept(tmp_path, json.dumps([[0] * 30, [0] * 30])))
    monkeypatch.setattr(reading, "MOST_BYTES", 2**20)
    assert len(read_bytes(kept(tmp_path, b" " * 2**20))) == 2**20
    with pytest.raises(BadFileError, match="larger than 1 MiB"):
        read_bytes(kept(tmp_path, b" " * (2**20 + 1)))


def test_a_pipe_a_folder_a_device_and_nothing_are_no_files(tmp_path):
    """A pipe in its place would hold the start up for ever."""
    pipe = tmp_path / "pipe.json"
    os.mkfifo(pipe)
    for path in (pipe, tmp_path, tmp_path / "missing.json", reading.Path("/dev/zero")):
        with pytest.raises(BadFileError) as told:
            read_json(path)
        assert str(path) in str(told.value)


@pytest.mark.parametrize(
    "error", [KeyError("x"), OverflowError(), RecursionError(), ZeroDivisionError(), TypeError("t")]
)
def test_whatever_goes_wrong_inside_comes_out_as_one_sentence(tmp_path, error):
    """Any error inside reading is one sentence with the file's name."""
    path = tmp_path / "b.json"
    with pytest.raises(BadFileError, match="no shoot") as told, as_sentence(path, "shoot"):
        raise error
    assert "b.json" in str(told.value)


def test_a_sentence_from_inside_keeps_its_place_and_its_mend(tmp_path):
    """An inner sentence keeps its field and its mend, and bugs aren't hidden."""
    bad = BadValueError("it is below zero", where="days", mend="Write 1 or more")
    with pytest.raises(BadFileError) as told, as_sentence(tmp_path / "c.json", "shoot"):
        raise bad
    assert str(told.value) == "c.json: days: it is below zero. Write 1 or more."
    # And a mistake of ours that is no content's fault is not hidden.
    with pytest.raises(KeyboardInterrupt), as_sentence(tmp_path / "c.json", "shoot"):
        raise KeyboardInterrupt
