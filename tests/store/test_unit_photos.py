"""Photos as they are kept: upright, small, without their places; and files that are none."""

import io
import struct
import zlib

import pytest
from PIL import Image

from vastcellar.core.errors import BadFileError
from vastcellar.store.cellar import Cellar
from vastcellar.store.unit_photos import LONGEST_SIDE_PX, keep_photos, kept_photos, read_photo

ORIENTATION, GPS = 0x0112, 0x8825


def photo_in(path, size=(400, 300), color=(200, 30, 30), **saved):
    """Save a picture of one colour with a white upper edge."""
    made = Image.new("RGB", size, color)
    made.paste((255, 255, 255), (0, 0, size[0], size[1] // 4))
    made.save(path, **saved)
    return path


def opened(photo):
    return Image.open(io.BytesIO(photo.jpeg))


def test_a_large_photo_is_made_smaller_and_a_small_one_stays(tmp_path):
    """Neither side is longer than needed, and the shape stays."""
    large = opened(read_photo(photo_in(tmp_path / "a.jpg", (4000, 3000))))
    assert large.size == (LONGEST_SIDE_PX, LONGEST_SIDE_PX * 3 // 4) and large.format == "JPEG"
    assert opened(read_photo(photo_in(tmp_path / "b.png"))).size == (400, 300)


def test_it_is_turned_upright_and_says_no_more_where_it_was_taken(tmp_path):
    """A camera held sideways notes it, and where it stood: the picture is turned, the rest gone."""
    exif = Image.Exif()
    exif[ORIENTATION] = 6  # to be turned by a quarter
    exif.get_ifd(GPS)[1] = "N"
    path = photo_in(tmp_path / "side.jpg", exif=exif)
    with Image.open(path) as made:
        assert made.getexif().get_ifd(GPS)
    kept = opened(read_photo(path))
    assert kept.size == (300, 400)
    assert not dict(kept.getexif()) and b"Exif" not in read_photo(path).jpeg
    red, _green, blue = kept.getpixel((280, 200))
    assert red > 240 and blue > 240  # the white edge is on the right now


@pytest.mark.parametrize("mode", ["RGBA", "P", "L", "CMYK", "I;16"])
def test_every_kind_of_picture_comes_out_as_a_plain_one(tmp_path, mode):
    """With holes, of few colours, grey, for print, of sixteen bits."""
    path = tmp_path / ("a.tif" if mode in ("CMYK", "I;16") else "a.png")
    Image.new(mode, (60, 40)).save(path)
    assert opened(read_photo(path)).mode == "RGB"


def test_the_same_picture_is_kept_once_and_found_again(tmp_path):
    """By its digest; one that was never kept is left out."""
    photo = read_photo(photo_in(tmp_path / "a.jpg"))
    other = read_photo(photo_in(tmp_path / "b.jpg", color=(0, 0, 200)))
    cellar = Cellar(tmp_path / "cellar.db")
    keep_photos(cellar, [photo, other])
    keep_photos(cellar, [photo])
    assert kept_photos(cellar, [photo.digest, other.digest, "none", ""]) == {
        photo.digest: photo, other.digest: other}  # fmt: skip
    cellar.close()


@pytest.mark.parametrize("content", [b"", b"no picture", b"\xff\xd8\xff", b"\x89PNG\r\n\x1a\n" * 9,
                                     b"<svg xmlns='http://www.w3.org/2000/svg'/>"])  # fmt: skip
def test_what_is_no_picture_is_one_sentence(tmp_path, content):
    """Empty, text, a head without a body, a drawing."""
    path = tmp_path / "a.jpg"
    path.write_bytes(content)
    with pytest.raises(BadFileError, match="no picture"):
        read_photo(path)


def test_a_picture_that_ends_in_the_middle_is_refused(tmp_path):
    """Cut anywhere it is none, or still whole: never half of one without a word."""
    path = photo_in(tmp_path / "a.png")
    whole, wanted, refused = path.read_bytes(), read_photo(path), 0
    for end in range(0, len(whole), 11):
        path.write_bytes(whole[:end])
        try:
            assert read_photo(path) == wanted
        except BadFileError:
            refused += 1
    assert refused > len(whole) / 11 * 0.8


def test_a_bomb_is_refused_before_it_is_unpacked(tmp_path):
    """Some hundred bytes that say they are 40,000 x 40,000 pixels."""
    small = io.BytesIO()
    Image.new("1", (1, 1)).save(small, "PNG")
    raw = bytearray(small.getvalue())
    head = struct.pack(">II", 40_000, 40_000) + bytes(raw[24:29])
    raw[16:29] = head
    raw[29:33] = struct.pack(">I", zlib.crc32(b"IHDR" + head))
    (tmp_path / "bomb.png").write_bytes(bytes(raw))
    with pytest.raises(BadFileError):
        read_photo(tmp_path / "bomb.png")


def test_a_folder_and_nothing_are_sentences(tmp_path):
    """No picture can be read from either."""
    for path in (tmp_path, tmp_path / "missing.jpg"):
        with pytest.raises(BadFileError):
            read_photo(path)
