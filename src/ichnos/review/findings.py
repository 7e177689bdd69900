"""Findings: what a check can say, once, with what the game makes of it and the cure."""

from __future__ import annotations

from dataclasses import dataclass

from ichnos.errors import Place, Severity


@dataclass(frozen=True)
class FindingKind:
    """A kind of finding. ``id`` never changes; ``effect`` is what happens in the game."""

    id: str
    effect: str
    cure: str
    severity: Severity = "error"  # the pack, or a sound in it, does not work; a warning: it works all the same

    @property
    def is_error(self) -> bool:
        return self.severity == "error"


KINDS = {
    kind.id: kind
    for kind in (
        FindingKind("archive-damaged", "the game refuses the pack or skips the file", "build or download it again"),
        FindingKind(
            "wrapped-folder", "the game does not recognise the pack", "pack the folder's contents, not the folder"
        ),
        FindingKind("name-unsafe", "unpacking could write outside the pack", "do not install it; ask its maker"),
        FindingKind("name-twice", "which of the two is used depends on the program", "build the archive again"),
        FindingKind("document-missing", "the game does not recognise the pack, or finds no sounds", "build it again"),
        FindingKind("document-broken", "the whole file is ignored", "correct it at the place given"),
        FindingKind("entry-strange", "the game may ignore this entry", "compare it with an entry that works"),
        FindingKind("name-differs", "silence: the file is not looked for under this name", "make both the same"),
        FindingKind(
            "key-unknown", "silence: the game never asks for this key", "correct the key, or say that it is new"
        ),
        FindingKind(
            "category-unknown",
            "the game may ignore the sound, or play it by no rule",
            "write one of the game's categories",
            severity="warning",
        ),
        FindingKind("weight-zero", "this take is never heard", "give it a weight, or leave it out", severity="warning"),
        FindingKind(
            "icon-missing", "the game shows no picture, or refuses the pack", "build it again", severity="warning"
        ),
        FindingKind(
            "said-otherwise",
            "nobody knows which of the two the game takes",
            "say the same in both places",
            severity="warning",
        ),
        FindingKind("script-broken", "the whole script is ignored", "correct it at the place given"),
        FindingKind(
            "script-twice",
            "the second takes the place of the first",
            "give each name once in the script",
            severity="warning",
        ),
        FindingKind("key-twice", "the game picks one of them at random", "keep one entry, with all its takes"),
        FindingKind("take-missing", "silence", "put the file there, or correct the name in the definition"),
        FindingKind("take-disguised", "silence: the extension does not make the format", "convert the clip"),
        FindingKind("take-damaged", "silence, or an error like 'file not found'", "convert the clip again"),
        FindingKind("take-format", "silence, static, or a sound heard everywhere at full level", "convert the clip"),
        FindingKind(
            "place-stereo",
            "it is heard everywhere at one level",
            "convert the clip to mono, or let it be",
            severity="warning",
        ),
        FindingKind("loop-missing", "it plays once", "build the pack again, or mark the loop in the WAV"),
        FindingKind("path-unknown", "silence: the game never asks for this file", "give it the name of the game's own"),
        FindingKind(
            "files-left",
            "now and then the old sound is heard",
            "give the key more clips, or say every-file = true, or {kept = true} for those that stay",
            severity="warning",
        ),
        FindingKind(
            "file-unused", "nothing plays this file", "name it in a definition, or leave it out", severity="warning"
        ),
        FindingKind("archive-bomb", "unpacking fills the disk", "do not install it; ask its maker"),
        FindingKind(
            "over-budget", "nobody knows: this much was not looked at", "if you trust the pack, say: check --budget 10"
        ),
        FindingKind("link-inside", "unpacking could write or read outside the pack", "put the file itself there"),
        FindingKind("name-windows", "the file cannot be unpacked on Windows", "give it another name"),
        FindingKind("name-case", "on Windows and macOS one of the two is lost", "give one of them another name"),
        FindingKind("name-spelling", "the file is not found", "spell the name as the game allows it"),
        FindingKind(
            "file-clash", "another sound of the game plays, or this one is ignored", "give it a name of its own"
        ),
        FindingKind(
            "file-otherwise", "the game cuts the sound off, or refuses the file", "build it again, or correct the value"
        ),
        FindingKind("take-long", "the sound is refused or cut off", "cut the clip"),
        FindingKind(
            "take-silent", "nothing is heard", "take another clip, or say that the key is silent", severity="warning"
        ),
        FindingKind("pack-large", "the game refuses the pack", "shorten clips, or lower the quality"),
        FindingKind("play-unknown", "silence: nothing has that key", "write the key as the definition has it"),
        FindingKind(
            "script-key", "silence: the script asks for another key than the definition has", "correct the script"
        ),
        FindingKind(
            "script-file",
            "silence: the script asks for a file that is not there",
            "correct the script",
            severity="warning",
        ),
        FindingKind(
            "title-missing", "players of that language read the old title, or none", "add the title", severity="warning"
        ),
        FindingKind("version-other", "the game refuses to load the pack", "say the version that the game has"),
        FindingKind("file-missing", "the game finds nothing there", "put the file there, or correct the name"),
        FindingKind("copy-otherwise", "the game plays now one of the two, now the other", "build the pack again"),
        FindingKind(
            "key-shared",
            "only one of the packs is heard",
            "change the load order, or leave one out",
            severity="warning",
        ),
        FindingKind(
            "file-shadowed",
            "the file of one pack is never used",
            "give it a name of the pack's own",
            severity="warning",
        ),
        FindingKind(
            "key-taken",
            "only one of the packs is heard",
            "give the key another name in one of them",
            severity="warning",
        ),
        FindingKind(
            "number-taken", "the game takes one for the other", "give one of them another number: number = ..."
        ),
        FindingKind("id-of-another", "two packs with one id break each other", "mint fresh ids for one of them"),
        FindingKind(
            "licence-missing",
            "it may not be published",
            "name source, author and licence under [[credit]]",
            severity="warning",
        ),
        FindingKind(
            "licence-unknown",
            "nobody can tell what is allowed",
            "write an SPDX id, or LicenseRef-NAME",
            severity="warning",
        ),
        FindingKind("licence-forbids", "publishing it breaks its licence", "ask its author, or take another clip"),
        FindingKind(
            "licence-words", "the licence asks for words that are not there", "name the author", severity="warning"
        ),
        FindingKind("never-heard", "silence", "see why, or leave it out"),
        FindingKind(
            "drowned",
            "the game's own mix covers it",
            "make it louder: ichnos heard says by how much",
            severity="warning",
        ),
        FindingKind(
            "cut-off", "it ends before its time", "give it a higher priority, or fewer voices", severity="warning"
        ),
        FindingKind("loop-wrong", "it stops, jumps or never goes on", "mark the loop again: ichnos loop"),
        FindingKind(
            "stereo-at-a-place", "it is heard everywhere at one level", "convert the clip to mono", severity="warning"
        ),
        FindingKind(
            "trigger-never-fired",
            "nothing plays then",
            "compare its event, where and state with the scene",
            severity="warning",
        ),
        FindingKind("wrong-winner", "another pack's sound is heard", "change the load order, or leave one out"),
        FindingKind("script-error", "the script ends there, and what is behind it does not play", "correct the script"),
        FindingKind("script-stopped", "the game stands still", "see that each loop in the script ends"),
        FindingKind(
            "verdict-redo", "it sounds as you heard it", "make it again; the verdict is then over", severity="warning"
        ),
        FindingKind("id-malformed", "the game refuses the pack", "write a UUID (RFC 9562)"),
        FindingKind("id-shared", "the game takes two things for one", "mint a second id"),
    )
}


@dataclass(frozen=True)
class Finding:
    """One result of a check."""

    kind: FindingKind
    place: Place
    reason: str
    cure: str


def finding(kind_id: str, place: Place, reason: str, cure: str = "") -> Finding:
    """A finding of a known kind, with the kind's own cure where none is given."""
    kind = KINDS[kind_id]
    return Finding(kind, place, reason, cure or kind.cure)
