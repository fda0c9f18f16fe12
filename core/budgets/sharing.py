"""An amount shared out in proportion, so that the shares add up to it to the last minor unit."""

from __future__ import annotations

from collections.abc import Sequence


def shared_out(amount: int, weights: Sequence[int]) -> list[int]:
    """Shares in the order of the weights, each within one unit of its exact part: whole parts first, then a
    unit each to the largest remainders, the earlier one where two are alike. Weights may be negative.

    Raises ValueError where they add up to nothing.
    """
    total = sum(weights)
    if not total:
        raise ValueError("There is nothing to share out by.")
    exact = [divmod(amount * weight, total) for weight in weights]
    shares = [whole for whole, _ in exact]
    # A remainder lies between 0 and the total, which may be negative: its size is what counts.
    largest = sorted(range(len(exact)), key=lambda i: (-abs(exact[i][1]), i))
    for i in largest[: amount - sum(shares)]:
        shares[i] += 1
    return shares
