"""The profiles that packs went in through, as the journal has kept them."""

from __future__ import annotations

import io
import zipfile

from ichnos.files import disk, scratch
from ichnos.games.profiles import loading
from ichnos.games.profiles.profile import Profile
from ichnos.install.contents import Contents


class Profiles:
    """Loaded from what was kept, when they are asked for."""

    def __init__(self, contents: Contents) -> None:
        self._contents = contents
        self._loaded: dict[str, Profile] = {}

    def of(self, sha256: str) -> Profile:
        """A profile by the SHA-256 of what was kept of it. Raises IchnosError where that is gone."""
        if sha256 not in self._loaded:
            with scratch.throwaway() as folder:
                with zipfile.ZipFile(io.BytesIO(self._contents.read(sha256))) as archive:
                    for name in archive.namelist():
                        disk.write(folder / name, archive.read(name))
                self._loaded[sha256] = loading.load(folder)
        return self._loaded[sha256]
