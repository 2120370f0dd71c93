"""Photos of units: read from a file, turned upright, made smaller, kept in the cellar."""

from __future__ import annotations

import hashlib
import io
import warnings
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.errors import BadFileError
from vastcellar.store.by_digest import rows_of
from vastcellar.store.cellar import Cellar
from vastcellar.store.reading import read_bytes
from vastcellar.store.tables import UnitPhotoRow

LONGEST_SIDE_PX = 1600
"""What a label or a dent needs to be read: some 300 KB."""
_QUALITY = 85
_MOST_PIXELS = 40_000_000
"""Of what has to be decoded whole: 160 MB while it is read. A JPEG is decoded smaller."""
_ORIENTATION = 0x0112
_TURNS = {2: "FLIP_LEFT_RIGHT", 3: "ROTATE_180", 4: "FLIP_TOP_BOTTOM", 5: "TRANSPOSE",
          6: "ROTATE_270", 7: "TRANSVERSE", 8: "ROTATE_90"}  # fmt: skip
"""How a camera was held, by Exif 2.32, and what sets its picture upright."""


@dataclass(frozen=True, slots=True)
class UnitPhoto:
    """A photo as it is kept: JPEG, with nothing in it but the picture."""

    digest: str
    jpeg: bytes


def read_photo(path: Path) -> UnitPhoto:
    """Return the photo in *path*, upright and no larger than needed.

    Where and by whom it was taken stands in many a file, and isn't kept.
    Raises BadFileError for a file that can't be read, is no picture, or is too large.
    """
    from PIL import Image, UnidentifiedImageError

    content = read_bytes(path)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")  # a bomb is a warning to Pillow
            with Image.open(io.BytesIO(content)) as opened:
                if opened.format == "JPEG":  # decoded no larger than it is wanted
                    opened.draft("RGB", (LONGEST_SIDE_PX, LONGEST_SIDE_PX))
                if opened.width * opened.height > _MOST_PIXELS:
                    raise BadFileError(
                        f"it has {opened.width} x {opened.height} pixels",
                        where=str(path), mend="Choose a smaller picture",
                    )  # fmt: skip
                turn = opened.getexif().get(_ORIENTATION)
                opened.thumbnail((LONGEST_SIDE_PX, LONGEST_SIDE_PX))
                picture = opened.convert("RGB")
    except BadFileError:
        raise
    except (
        UnidentifiedImageError,
        OSError,
        ValueError,
        SyntaxError,
        Warning,
        Image.DecompressionBombError,
        ArithmeticError,
        LookupError,
        MemoryError,
    ) as error:
        raise BadFileError(
            "it is no picture that can be read", where=str(path),
            mend="Choose a photo, as JPEG or PNG",
        ) from error  # fmt: skip
    if turn in _TURNS:
        picture = picture.transpose(Image.Transpose[_TURNS[turn]])
    picture.info.clear()  # a comment, a profile: nothing goes along but the picture
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=_QUALITY)
    jpeg = out.getvalue()
    return UnitPhoto(hashlib.sha256(jpeg).hexdigest(), jpeg)


def keep_photos(cellar: Cellar, photos: Iterable[UnitPhoto]) -> None:
    """Keep *photos*; one that is kept already stays. Raises CellarError."""
    with cellar.session() as session:
        for each in photos:
            session.merge(UnitPhotoRow(digest=each.digest, jpeg=each.jpeg))


def kept_photos(cellar: Cellar, digests: Iterable[str]) -> dict[str, UnitPhoto]:
    """Return the photos that are kept by *digests*; those that aren't are left out.

    Raises CellarError.
    """
    with cellar.reading() as session:
        rows = rows_of(session, UnitPhotoRow, digests)
        return {row.digest: UnitPhoto(row.digest, row.jpeg) for row in rows}
