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
from vastcellar.store.reading import MOST_PIXELS, read_bytes
from vastcellar.store.tables import UnitPhotoRow

LONGEST_SIDE_PX = 1600
"""What a label or a dent needs to be read: some 300 KB."""
_QUALITY = 85


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
    from PIL import Image, ImageOps, UnidentifiedImageError

    content = read_bytes(path)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")  # a bomb is a warning to Pillow
            with Image.open(io.BytesIO(content)) as opened:
                if opened.width * opened.height > MOST_PIXELS:
                    raise BadFileError(
                        f"it has {opened.width} x {opened.height} pixels",
                        where=str(path), mend="Choose a smaller picture",
                    )  # fmt: skip
                picture = ImageOps.exif_transpose(opened).convert("RGB")
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
    picture.thumbnail((LONGEST_SIDE_PX, LONGEST_SIDE_PX))
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
