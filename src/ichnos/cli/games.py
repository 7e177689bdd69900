"""``games``: which games there are, what each needs, and whether a profile is sound."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import Forgiving, Json, app
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    from ichnos.games.explain import Explained
    from ichnos.games.profiles.profile import Profile

games = typer.Typer(cls=Forgiving.to("list"), rich_markup_mode=None)
app.add_typer(
    games,
    name="games",
    short_help="List, show and check game profiles.",
    help="The games that packs can be made for: ichnos games, ichnos games show GAME, ichnos games check FOLDER.",
    epilog="Examples: ichnos games, ichnos games show ombervale, ichnos games check my-game/",
)

GameArgument = Annotated[str, typer.Argument(help="A bundled game's name, or a profile's folder.", metavar="GAME")]


@games.command("list", epilog="Example: ichnos games")
def list_games(json: Json = False) -> None:
    """List the games that ship with Ichnos."""
    from ichnos.games.profiles import profile

    found = [profile.load(profile.BUNDLED / name).rules.game for name in profile.bundled_names()]
    if json:
        show.as_json([game.model_dump(mode="json", by_alias=True) for game in found])
        return
    width = max(len(game.name) for game in found)
    for game in found:
        print(f"{game.name:<{width}}  {game.title}: {game.summary}")


@games.command("show", epilog="Example: ichnos games show ombervale")
def show_game(game: GameArgument, json: Json = False) -> None:
    """Say in plain words what a game needs."""
    from ichnos.games.profiles import profile

    found = profile.load(profile.find(game))
    if json:
        show.as_json(found.rules.model_dump(mode="json", by_alias=True))
        return
    out = show.console()
    out.print(f"[bold]{found.rules.game.title}[/bold]: {found.rules.game.summary}")
    for name, text in _needs(found):
        out.print(f"  {name:<12} {text}", markup=False)


def _needs(found: Profile) -> list[tuple[str, str]]:
    from ichnos.games.targets import target

    rules = found.rules
    lines = [("versions", ", ".join(rules.game.versions)), ("sounds", str(target(found)))]
    for only in rules.audio.only:
        which = [*(["parts"] if only.parts else []), *only.categories, *only.keys]
        category = only.categories[0] if only.categories else None
        key = only.keys[0] if only.keys else ""
        lines.append((f"  {', '.join(which)}", str(target(found, key, category, part=only.parts))))
    lines.append(("takes", "several for each key, picked at random" if rules.takes.several else "one for each key"))
    if rules.parts.names:
        lines.append(("parts", ", ".join(rules.parts.names)))
    replace = {
        "by-definition": "the game's own can be replaced, by an entry of the same key",
        "by-path": "the game's own can be replaced, by a file of the same path",
        "no": "the game's own cannot be replaced",
    }[rules.modes.replace]
    lines.append(("keys", f"{replace}; {'new ones can be added' if rules.modes.new else 'nothing can be added'}"))
    lines.append(("file names", _names(found)))
    if rules.limits.seconds:
        lines.append(("longest", f"{rules.limits.seconds:g} s"))
    documents = [
        f"{found.document_name(one)} ({one.document.format.name}"
        + {"whole": "", "fragment": ", where needed", "merge": ", merged into the game's own"}[
            found.document_rules(one).mode
        ]
        + ")"
        for one in found.documents
    ]
    lines += [("documents" if index == 0 else "", text) for index, text in enumerate(documents)]
    lines += [("script", script.path) for script in found.scripts]
    if rules.loops.kind == "wav-markers":
        lines.append(("loops", "marked in the WAV"))
    elif rules.loops.kind == "vorbis-comments":
        lines.append(("loops", "marked in the file's Vorbis comments"))
    if rules.icon is not None:
        lines.append(("icon", f"{rules.icon.path}, {rules.icon.size} pixels square"))
    lines.append(("ids", ", ".join(found.id_names) or "none"))
    lines.append(
        ("packed as", f"a{'n archive' if rules.packaging.kind == 'archive' else ' folder'}, {rules.packaging.name}")
    )
    if rules.install.folder:
        lines.append(("goes into", f"{rules.install.folder}/ of the game"))
    lines += [
        ("load list", f"{one.path}: {one.line}" + (f", above {one.before}" if one.before else ""))
        for one in rules.install.lists
    ]
    lines += [("cache", f"{path} is to be deleted") for path in rules.install.caches]
    return lines


def _names(found: Profile) -> str:
    names = found.rules.names
    said = [f"keys are joined by {names.separator}"]
    if names.ascii:
        said.append("ASCII only")
    if names.spaces is not None:
        said.append(f"{names.spaces!r} for a space" if names.spaces else "no spaces")
    if names.allowed:
        said.append(f"only {names.allowed}")
    if names.case != "kept":
        said.append(f"{names.case} case")
    if names.longest:
        said.append(f"at most {names.longest} letters")
    return ", ".join(said)


@games.command("check", epilog="Example: ichnos games check my-game/")
def check_game(
    game: GameArgument,
    sample: Annotated[bool, typer.Option("--sample", help="Show each document filled with a made-up pack.")] = False,
    json: Json = False,
) -> None:
    """Check a game profile and explain it: what repeats for what, filled with a made-up pack and read back."""
    from dataclasses import asdict

    from ichnos.games import explain
    from ichnos.games.profiles import profile

    found = profile.load(profile.find(game))
    explained = list(explain.explain(found))
    fault: IchnosError | None = None
    try:
        explain.check_scripts(found)
    except IchnosError as error:
        fault = error
    if json:
        show.as_json(
            {
                "game": found.rules.game.name,
                "documents": [asdict(one) for one in explained],
                "scripts": str(fault) if fault else None,
            }
        )
    else:
        for one in explained:
            _print_explained(one, sample)
        if fault is None:
            bad = sum(1 for one in explained if one.fault)
            verdict = (
                f"{show.counted(bad, 'document')} of {len(explained)} do not come back the same"
                if bad
                else "the profile is sound"
            )
            print(f"{found.rules.game.title}: {verdict}.")
    if fault is not None:
        raise fault
    if any(one.fault for one in explained):
        raise typer.Exit(1)


def _print_explained(one: Explained, sample: bool) -> None:
    from rich.text import Text

    out = show.console()
    out.print(Text.assemble((one.path, "bold"), (f"  {one.format}, {one.mode}", "dim")))
    for scope, line, text in one.units:
        where = f"line {line}: {text}" if line else "the file itself"
        out.print(Text.assemble("  for each ", (scope, "cyan"), "  ", where))
    if sample and one.sample:
        for line_text in one.sample.splitlines():
            out.print(Text(f"  | {line_text}", "dim"))
    if one.fault:
        out.print(Text.assemble(("  fault: ", "bold red"), one.fault))
    else:
        out.print(Text.assemble(("  filled, read back, merged: the same", "green")))
