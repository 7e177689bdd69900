"""The same done to many things by several threads: for what waits for the disk, or leaves the interpreter."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

_Thing = TypeVar("_Thing")
_Result = TypeVar("_Result")


def run_side_by_side(
    act: Callable[[_Thing], _Result], things: Iterable[_Thing], threads: int | None = None
) -> list[_Result]:
    """Do something to each of many things. Each thread takes the next one that waits.

    A task for each, as ``ThreadPoolExecutor.map`` makes them, costs more than reading a small file.

    Args:
        threads: how many; as many as there are processors without it.

    Returns:
        What ``act`` gives for each, in their order.

    Raises:
        Exception: what ``act`` raises for one of them. What has begun then is finished, and nothing else is begun.
    """
    waiting = deque(enumerate(things))
    results: list[Any] = [None] * len(waiting)

    def work() -> None:
        try:
            while (next_one := _taken(waiting)) is not None:
                number, thing = next_one
                results[number] = act(thing)
        except BaseException:
            waiting.clear()
            raise

    count = min(threads or os.cpu_count() or 1, len(waiting))
    if not count:
        return results
    with ThreadPoolExecutor(count) as pool:
        workers = [pool.submit(work) for _ in range(count)]
        try:
            for worker in workers:
                worker.result()
        except BaseException:  # also where somebody interrupts the waiting
            waiting.clear()
            raise
    return results


def _taken(waiting: deque[tuple[int, _Thing]]) -> tuple[int, _Thing] | None:
    """The next one, which no other thread takes; ``None`` where none is left."""
    try:
        return waiting.popleft()
    except IndexError:
        return None
