"""vast-cellar label: a PDF with a code for each unit, or a sentence."""

import json

import pypdfium2
import pytest
import zxingcpp
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.core.errors import VastCellarError


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    """Data, state and settings of their own."""
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / "home" / name))


def test_labels_are_saved_and_their_codes_told(tmp_path):
    """Two units on a sheet: the codes in the PDF are those that the command prints."""
    path = tmp_path / "labels ä.pdf"
    words = ["--demo", "label", "K-07", "M-03", "--pdf", str(path), "--size", "sheet-21", "--json"]
    done = CliRunner().invoke(cli, words)
    assert done.exit_code == 0, done.output
    page = pypdfium2.PdfDocument(path)[0].render(scale=4).to_numpy()
    read = {code.text for code in zxingcpp.read_barcodes(page)}
    assert read == set(json.loads(done.output)["codes"].values())
    told = CliRunner().invoke(cli, ["--demo", "label", "K-07", "--pdf", str(path)])
    assert told.output.startswith("1 label of 24 x 12 mm, one by one in ")


@pytest.mark.parametrize(
    ("words", "says"),
    [(("no-such",), "no-such"), (("K-07", "--size", "9"), "no label size is called '9'"),
     (("K-07", "--skip", "3"), "3 places")],
)  # fmt: skip
def test_what_cannot_be_labelled_leaves_no_file(words, says, tmp_path):
    """An unknown unit, an unknown size, a place that isn't there."""
    path = tmp_path / "x.pdf"
    done = CliRunner().invoke(cli, ["--demo", "label", *words, "--pdf", str(path)])
    assert isinstance(done.exception, VastCellarError)
    assert says in str(done.exception) and not path.exists()
