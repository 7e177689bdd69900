"""A block of sound: what flows from each link of the chain to the next."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Block = NDArray[np.float32]  # shape (samples, channels), full scale is ±1

BLOCK_SAMPLES = 65536  # of each channel; large enough that Python does not count beside the codecs


def sum_squares(block: NDArray[np.float32]) -> float:
    """The sum of the squares of all samples, in one pass and without a copy."""
    import numpy as np

    flat = block.ravel()
    return float(np.dot(flat, flat))
