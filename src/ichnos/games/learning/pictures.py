"""The pictures of packs that a profile is learned from."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ichnos.games.learning.decisions import Readable
from ichnos.games.learning.evidence import Pack

_PICTURES = ("PNG", "JPEG", "WEBP", "GIF", "BMP")


def picture_paths(packs: Sequence[Pack], readable: Iterable[Readable]) -> set[str]:
    """Where the pictures of props go."""
    paths = set()
    for document in readable:
        for pack in packs:
            for pack_said in document.said.get(pack.index, ()):
                for prop in pack_said.props:
                    picture, name = prop.values.get("prop.picture"), prop.name
                    if picture is not None and name and str(picture) in pack.pictures and name in str(picture):
                        paths.add(str(picture).replace(name, "@prop.name@"))
    return paths if len(paths) == 1 else set()


def picture_size(packs: Sequence[Pack], path: str) -> tuple[int, int] | None:
    """Width and height of the pictures of a path, which may have a hole; ``None``: not all the same, or none."""
    from io import BytesIO

    from PIL import Image

    start, hole, end = path.partition("@prop.name@")
    sizes = set()
    for pack in packs:
        for name in pack.pictures:
            if name == path or (hole and name.startswith(start) and name.endswith(end)):
                try:
                    with Image.open(BytesIO(pack.files.read(name)), formats=_PICTURES) as picture:
                        sizes.add(picture.size)
                except (OSError, ValueError, Image.DecompressionBombError):
                    return None
    return sizes.pop() if len(sizes) == 1 and all(8 <= side <= 4096 for side in max(sizes)) else None
