"""Pictures: any, made as large as the game wants it; an icon drawn from the title."""

from __future__ import annotations

import hashlib
import io
import warnings
from pathlib import Path
from typing import TYPE_CHECKING

from ichnos.errors import IchnosError, Place
from ichnos.files import disk

if TYPE_CHECKING:
    from PIL import Image

FORMATS = ("PNG", "JPEG", "WEBP", "GIF", "BMP")  # Pillow knows forty, and some are traps
MOST_PIXELS = 32_000_000
_BARS = 7
_BY_SUFFIX = {".png": "PNG", ".jpg": "JPEG", ".jpeg": "JPEG", ".webp": "WEBP", ".bmp": "BMP"}
_USUAL = (256, 256)  # pixels, of an icon that is drawn where the game says no size


def as_picture(
    path: Path, shown: str, suffix: str, size: tuple[int, int] | None, *, shape: str = "padded"
) -> tuple[bytes, bool]:
    """A picture as the game wants it, and whether it has its own bytes still, being so already.

    Args:
        suffix: of the file that it becomes; its format goes by that.
        size: width and height in pixels; ``None``: whatever it has.
        shape: how one of another shape is made so: "padded" with nothing, or "cropped".

    Raises:
        IchnosError: the file is no picture that can be read.
    """
    from PIL import Image, ImageOps

    data = disk.read(path, shown)
    wanted = _BY_SUFFIX[suffix.lower()]
    colours, form = _read(data, shown, f"the game's has {size[0]} x {size[1]}" if size else "a few hundred each way")
    if form == wanted and size in (None, colours.size):
        return data, True
    if size is not None and shape == "cropped":
        colours = ImageOps.fit(colours, size, Image.Resampling.LANCZOS)
    elif size is not None:
        colours = ImageOps.pad(colours, size, Image.Resampling.LANCZOS, (0, 0, 0, 0))
    return _written(colours, wanted), False


def _read(data: bytes, shown: str, usual: str) -> tuple[Image.Image, str]:
    """A picture in colours with transparency, and the format that it was in. Raises IchnosError for anything else."""
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings(action="ignore"), Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                what = f"this picture has {picture.width} x {picture.height} pixels"
                raise IchnosError(what, place=Place(shown), cure=f"make it smaller: {usual}")
            return picture.convert("RGBA"), str(picture.format)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, EOFError, Image.DecompressionBombError) as error:
        why = "it is no picture" if isinstance(error, UnidentifiedImageError) else error
        what, cure = f"this picture cannot be read ({why})", "take a PNG, JPEG, WebP, GIF or BMP"
        raise IchnosError(what, place=Place(shown), cure=cure) from None


def drawn(title: str, size: tuple[int, int] | None, suffix: str) -> bytes:
    """A default icon: bars like a sound's level, in a colour of the title's own."""
    from PIL import Image, ImageDraw

    digest = hashlib.sha256(title.encode()).digest()
    background = tuple(32 + value // 4 for value in digest[:3])
    front = tuple(160 + value // 3 for value in digest[3:6])
    size = size or _USUAL
    picture = Image.new("RGBA", size, (*background, 255))
    draw = ImageDraw.Draw(picture)
    step = size[0] / (_BARS + 2)
    for bar in range(_BARS):
        height = size[1] * (0.15 + 0.55 * digest[6 + bar] / 255)
        left = step * (bar + 1)
        draw.rectangle(
            (left + step * 0.15, (size[1] - height) / 2, left + step * 0.85, (size[1] + height) / 2), fill=(*front, 255)
        )
    return _written(picture, _BY_SUFFIX[suffix.lower()])


def _written(picture: Image.Image, form: str) -> bytes:
    out = io.BytesIO()
    (picture.convert("RGB") if form in ("JPEG", "BMP") else picture).save(out, form)
    return out.getvalue()
