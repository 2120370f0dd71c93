"""The sheet of a run shows what users typed to the letter: no markup, no picture, no link."""

import io
import math
import struct
import zlib

import pytest
from pypdf import PdfReader

from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.probe import Shape
from vastcellar.core.units import PLAIN
from vastcellar.report.run_sheet import run_sheet_pdf
from vastcellar.services.proving.flat_proving import folder_flat_proof


def small_picture(path):
    """A red dot, as a PNG file."""

    def chunk(kind, content):
        whole = kind + content
        return struct.pack(">I", len(content)) + whole + struct.pack(">I", zlib.crc32(whole))

    header = struct.pack(">IIBBBBB", 1, 1, 8, 2, 0, 0, 0)
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header)
        + chunk(b"IDAT", zlib.compress(b"\x00\xff\x00\x00")) + chunk(b"IEND", b"")
    )  # fmt: skip


def finished(folder, notes):
    plan = FlatPlan("write", 8 * 2**20, shape=Shape(2**20, 2), reads_back=True)
    proof = folder_flat_proof(folder, plan, notes, ambient_c=21.0)
    for _ in proof.run.snapshots():
        pass
    return proof


@pytest.mark.parametrize("paper", ["a4", "letter"])
def test_a_folder_named_like_a_picture_embeds_none(tmp_path, monkeypatch, paper):
    """A folder's name that looks like markup stays a name on the sheet."""
    monkeypatch.chdir(tmp_path)
    small_picture(tmp_path / "dot.png")
    # As a folder of its name a "/" would part it: a picture beside the program is named without.
    folder = tmp_path / '<img src="dot.png" width="9" height="9"> & <b>disk'
    folder.mkdir()
    made = run_sheet_pdf(f"write in {folder.name}", finished(folder, tmp_path / "notes"), PLAIN,
                         paper=paper)  # fmt: skip
    (page,) = PdfReader(io.BytesIO(made)).pages
    text = " ".join(page.extract_text().split())
    assert '<img src="dot.png"' in text
    assert "& <b>disk" in text
    assert list(page.images) == []
    assert "/Annots" not in page


def test_the_sheet_has_the_runs_own_figures(tmp_path):
    """The figures on the sheet are the run's own."""
    disk = tmp_path / "disk"
    disk.mkdir()
    proof = finished(disk, tmp_path / "notes")
    made = run_sheet_pdf("write on a disk", proof, PLAIN)
    text = " ".join(PdfReader(io.BytesIO(made)).pages[0].extract_text().split())
    rate = proof.run.result.write.bytes_per_s
    # A thin space between thousands is a blank like any other to whoever takes the text apart.
    assert math.isfinite(rate) and " ".join(PLAIN.rate(rate, 1).split()) in text
    assert "Simulated" not in text
