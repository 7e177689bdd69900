"""Real systems, from Debian's packages: harvested whole, packs made for them that they load, and nothing left behind."""

from __future__ import annotations

from pathlib import Path

import pytest

from conftest import run
from real_systems import SYSTEMS, System, missing, walk


@pytest.mark.parametrize("system", SYSTEMS, ids=lambda system: system.name)
def test_a_pack_for_a_real_system_is_loaded_by_it(tmp_path: Path, system: System) -> None:
    if reason := missing(system):
        pytest.skip(reason)
    one = walk(system, tmp_path)
    assert one.keys == len(system.keys(system.at))
    assert one.of_system == []
    assert one.of_pack == []
    assert one.left == []
    if one.loaded.startswith("left out"):
        pytest.skip(one.loaded)
    assert one.loaded == ""


def test_real_systems_are_listed_apart() -> None:
    listed = run("games").out
    made_up, _, real = listed.partition("Real ones:")
    assert all(system.name in real and system.name not in made_up for system in SYSTEMS)
    assert "tarnlight" in made_up
