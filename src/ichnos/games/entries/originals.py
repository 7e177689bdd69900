"""The game's own documents, for merging into and for entries that are to be like an existing one."""

from __future__ import annotations

from ichnos.documents.tree import Document, Node
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files
from ichnos.games.entries.contents import contents, sound_entries
from ichnos.games.entries.edit import Editor
from ichnos.games.entries.fill import Bindings
from ichnos.games.entries.found import Found
from ichnos.games.entries.read import read
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile, path_of
from ichnos.games.profiles.vocabulary import SOUND


class Originals:
    """Documents of an installation, read when they are asked for and then kept."""

    def __init__(self, files: Files | None, separator: str) -> None:
        self._files = files
        self._separator = separator
        self._names = set(files.names()) if files else set()
        self._documents: dict[str, Document] = {}
        self.copied: set[str] = set()  # keys of which an entry was found to start from
        self._entries: dict[tuple[int, str], dict[str, list[Found]]] = {}

    def document(self, exemplar: Exemplar, path: str) -> Document:
        """The game's own file at a path of the pack.

        Raises:
            IchnosError: there is none, or it cannot be read.
        """
        if self._files is None:
            raise IchnosError(
                f"{path} is merged into the game's own, and it is not known where the game is installed",
                place=Place("ichnos.toml"),
                cure='say installation = "..." in ichnos.local.toml',
            )
        if path not in self._names:
            raise IchnosError(
                f"the game has no {path} to merge into", place=self._files.place, cure="is this the whole game?"
            )
        if path not in self._documents:
            data, label = self._files.read(path), self._files.label(path)
            self._documents[path] = exemplar.parse(data, label)
        return self._documents[path]

    def references(self, exemplar: Exemplar, profile: Profile) -> set[str]:
        """The files that the game's own document of one path names; none where there is no such document."""
        path = path_of(exemplar.path)
        reading = read(exemplar, self.document(exemplar, path)) if path in self._names else None
        sounds = contents(reading, self._separator).sounds if reading else ()
        return {file for sound in sounds for file, _, _ in sound.files()}

    def like(
        self,
        exemplar: Exemplar,
        path: str,
        scope: str,
        bindings: Bindings,
        piece: list[Node],
    ) -> str | None:
        """The text for a sound that is to be like one of the game's; ``None`` where it is not, or not here.

        Args:
            piece: the exemplar's nodes of which the copied entry is one.
        """
        if scope != SOUND or path not in self._names:
            return None
        wanted = bindings[SOUND].values.get("like")
        if not wanted:
            return None
        document = self.document(exemplar, path)
        entries = self._found(exemplar, document, path).get(str(wanted), [])
        part = next((entry for entry in entries if entry.alternative in piece), None)
        self.copied.update([str(wanted)] if part else [])
        copied = wanted != bindings[SOUND].values["key"]
        return Editor(exemplar, document).refill(part, bindings, copied=copied) if part else None

    def whole_like(self, exemplar: Exemplar, path: str, bindings: Bindings) -> str | None:
        """For games with one file for each sound: the text of a file that is like another sound's."""
        if path not in self._names:
            return None
        document = self.document(exemplar, path)
        reading = read(exemplar, document)
        if reading is None:
            return None
        text = document.text.content
        copied = bindings[SOUND].values.get("like") != bindings[SOUND].values["key"]
        inner = Editor(exemplar, document).refill(reading.pack, bindings, copied=copied)
        return text[: document.root.start] + inner + text[document.root.end :]

    def _found(self, exemplar: Exemplar, document: Document, path: str) -> dict[str, list[Found]]:
        kept = self._entries.get((id(exemplar), path))
        if kept is None:
            reading, kept = read(exemplar, document), {}
            for key, part in sound_entries(reading.pack, self._separator) if reading else ():
                kept.setdefault(key, []).append(part)
            self._entries[id(exemplar), path] = kept
        return kept
