"""What a pack says of itself: its texts in several languages, an id of its own spelling, names that it may not have."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from conftest import Made, edit

TREE = {
    "tree/about.json": """{
  "id": "@pack.id@",
  "called": "@pack.title@",
  "names": {
    "@language@": "@pack.title@"
  }
}
""",
    "tree/words/@language@.xml": '<words pack="@pack.title@" more="@pack.text@">\n  <word id="@key@">@title@</word>\n</words>\n',
    "tree/noises.json": '{"noises": [{"id": "@key@", "wav": "@file@"}]}\n',
    "tree/@pack.name@/@key@.wav": "",
}
RULES = 'takes = {several = false}\nnames = {taken = ["base", "mill-*"], id-allowed = "A-Za-z "}\n---\n'
SOUND = '\n[[sound]]\nkey = "weir"\ntakes = ["c1.wav"]\ntitle = {en = "The weir", de = "Das Wehr"}\n'


def _game(folder: Path) -> Made:
    game = Made(folder, "mill", RULES, TREE, {})
    game.start(SOUND)
    edit(
        game.own, 'title = "My own"', 'title = {en = "My own", de = "Mein Eigenes"}\nid = "My Own"\ntext = "At length."'
    )
    return game


def _words(pack: Path, language: str) -> dict[str, str]:
    return dict(ET.parse(pack / f"words/{language}.xml").getroot().attrib)


def test_a_pack_s_texts_stand_in_each_language(tmp_path: Path) -> None:
    game = _game(tmp_path)
    pack = game.build()
    assert json.loads((pack / "about.json").read_text()) == {
        "id": "My Own", "called": "My own", "names": {"en": "My own", "de": "Mein Eigenes"},
    }  # fmt: skip
    assert _words(pack, "de") == {"pack": "Mein Eigenes", "more": "At length."}
    assert _words(pack, "en") == {"pack": "My own", "more": "At length."}
    back = game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "back")
    assert back.code == 0, back.out + back.err
    assert "Nothing differs" in back.out
    assert 'title = {en = "My own", de = "Mein Eigenes"}' in (tmp_path / "back/ichnos.toml").read_text("utf-8")
    text = (pack / "words/de.xml").read_text("utf-8")
    (pack / "words/de.xml").write_text(text.replace("Mein Eigenes", "Meins"), "utf-8")
    assert game.run("build", cwd=tmp_path / "back").code == 0
    compared = game.run("compare", tmp_path / "back/build/my-own", pack, "--game", game.profile)
    assert "Meins" in compared.out


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        (
            '{en = "My own", de',
            '{fr = "My own", de',
            "the title is said in fr, de, and not in the pack's own language",
        ),
        ('id = "My Own"', 'id = "Base"', 'no pack for Mill may have the id "Base"'),
        ('id = "My Own"', 'id = "My_Own"', 'takes no "_" in a pack\'s id, and this is "My_Own"'),
        ('name = "my-own"', 'name = "mill-own"', 'no pack for Mill may have the name "mill-own"'),
    ],
)
def test_slips_in_what_a_pack_is_called(tmp_path: Path, old: str, new: str, told: str) -> None:
    game = _game(tmp_path)
    assert told in game.refused(old, new)


def test_a_language_without_a_place_is_told(tmp_path: Path) -> None:
    tree = {name: text for name, text in TREE.items() if "noises" in name or name.endswith(".wav")}
    tree["tree/about.json"] = '{"called": "@pack.title@"}\n'
    game = Made(tmp_path, "mill", "takes = {several = false}\n---\n", tree, {})
    game.start(SOUND.replace('{en = "The weir", de = "Das Wehr"}', '"The weir"'))
    edit(game.own, 'title = "My own"', 'title = {en = "My own", de = "Mein Eigenes"}')
    done = game.run("build", "--dry-run", cwd=game.own)
    assert "Mill has no place for the title in de of the pack" in done.out + done.err


def test_languages_that_the_game_spells_otherwise(tmp_path: Path) -> None:
    tree = {name.replace("@language@", "@language~upper@"): text for name, text in TREE.items() if "about" not in name}
    game = Made(tmp_path, "mill", RULES, tree, {})
    game.start(SOUND)
    edit(game.own, 'title = "My own"', 'title = {en = "My own", de = "Mein Eigenes"}\ntext = "At length."\nid = "My"')
    assert _words(game.build(), "DE") == {"pack": "Mein Eigenes", "more": "At length."}


def test_the_spelling_of_an_id_counts_where_it_stands(tmp_path: Path) -> None:
    tree = {name: text.replace('"id": "@pack.id@",', "") for name, text in TREE.items()}
    game = Made(tmp_path, "mill", RULES, tree, {})
    game.start(SOUND)
    game.build()  # the pack is called my-own, which is no such id, and stands nowhere
    assert 'takes no "_"' in game.refused('name = "my-own"', 'name = "my-own"\nid = "My_Own"')
