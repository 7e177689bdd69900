"""The forms of the game's own sound files: what takes the place of one is to be as that is."""

from __future__ import annotations

from ichnos.audio.files.clips import OpenSound
from ichnos.audio.files.forms import SoundForm
from ichnos.errors import IchnosError
from ichnos.files.sources import Files
from ichnos.games.entries.packs import SoundFiles


class OwnForms:
    """Looks at the game's own files, each once.

    Args:
        files: the game's; without them nothing is known.
        suffixes: of sound files.
    """

    def __init__(self, files: Files | None, suffixes: tuple[str, ...]) -> None:
        self._files = files
        names = [name for name in files.names() if name.lower().endswith(suffixes)] if files is not None else []
        self._names = SoundFiles(names)
        self._known: dict[str, SoundForm | None] = {}
        self.read: list[str] = []  # what messages call the files that were looked at

    def of(self, reference: str) -> SoundForm | None:
        """The form of the file that a definition names; ``None`` where it is not there, or cannot be read."""
        if reference not in self._known:
            self._known[reference] = self._looked_at(reference)
        return self._known[reference]

    def _looked_at(self, reference: str) -> SoundForm | None:
        name = self._names.file_of(reference)
        if name is None or self._files is None:
            return None
        self.read.append(self._files.label(name))
        try:
            with self._files.stream(name) as stream:
                facts = OpenSound(stream, name).facts
        except IchnosError:
            return None
        return SoundForm(facts.container, facts.codec, facts.rate, facts.channels)
