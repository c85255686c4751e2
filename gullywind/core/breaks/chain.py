"""The best chain through windows that lie at several offsets, with a price on every jump. Times in s."""

from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.places.verify import LEAST_QUALITY

#: Sources at different distances shift the lag by up to 12 ms where microphones stand 4 m apart: no break is so small.
LEAST_JUMP_S = 0.015
#: Windows this near to their neighbours continue them.
SAME_LAG_S = 0.0015
#: Windows of two runs this near to each other are one moment, which one of them tells.
SAME_MOMENT_S = 0.75
#: Prices in clear windows: of a jump, and of a step too small for a break. At either end of a recording three windows
#: must agree to make a piece, in its middle about six.
JUMP_PRICE, STEP_PRICE = 2.5, 0.5
#: The further a jump leads the more it costs, in clear windows for a factor of e: of two copies the nearer is meant.
FAR_PRICE = 0.15
#: What agrees hardly at all gains this share of what agrees as well as the best.
LEAST_SHARE = 0.3
#: How many windows back a chain may leap over what does not fit.
REACH_BACK = 40


@dataclass(frozen=True, eq=False)
class Found:
    """Windows along a recording, in its order, each shape (windows,): where they lie, s, how sure, and their lags."""

    t_ref: Floats
    t_rec: Floats
    quality: Floats
    lags: tuple[WindowLag, ...]

    def some(self, chosen: list[int]) -> "Found":
        """Those chosen by their places."""
        return Found(self.t_ref[chosen], self.t_rec[chosen], self.quality[chosen], tuple(self.lags[i] for i in chosen))


def best_chain(found: Found, offset_s: Floats) -> list[int]:
    """Windows that follow each other with few jumps: the chain that gains most, less the price of its jumps."""
    clear = np.clip((found.quality - LEAST_QUALITY) / 5.0, 0.0, 1.0)
    # Of two copies the one that holds more of the sound gains more.
    alike = np.array([max(lag.agreement, 0.0) for lag in found.lags])
    usual = float(np.quantile(alike[clear > 0.5], 0.8)) if np.any(clear > 0.5) else 1.0
    clear = clear * np.clip(alike / max(usual, 1e-3), LEAST_SHARE, 1.0)
    gain = clear / max(float(np.median(clear[clear > 0])) if np.any(clear > 0) else 1.0, 0.1)
    best = gain.copy()
    came_from = np.full(gain.size, -1)
    for i in range(1, gain.size):
        low = max(0, i - REACH_BACK)
        apart = np.abs(offset_s[low:i] - offset_s[i])
        jump = JUMP_PRICE + FAR_PRICE * np.log1p(apart)
        price = np.where(apart <= SAME_LAG_S, 0.0, np.where(apart < LEAST_JUMP_S, STEP_PRICE, jump))
        # Windows of two runs at one moment are one: only a later one continues the chain.
        price = np.where(found.t_rec[i] - found.t_rec[low:i] < SAME_MOMENT_S, np.inf, price)
        reached = best[low:i] - price
        j = int(np.argmax(reached))
        if reached[j] > 0:
            best[i] += reached[j]
            came_from[i] = low + j
    chain = [int(np.argmax(best))]
    while came_from[chain[-1]] >= 0:
        chain.append(int(came_from[chain[-1]]))
    # A window that gains nothing says nothing.
    return [i for i in reversed(chain) if gain[i] > 0]


def split_at_jumps(chain: list[int], offset_s: Floats) -> list[list[int]]:
    """The chain cut at its jumps."""
    parts: list[list[int]] = []
    for i in chain:
        if parts and abs(offset_s[i] - offset_s[parts[-1][-1]]) < LEAST_JUMP_S:
            parts[-1].append(i)
        else:
            parts.append([i])
    return parts


def agreeing(part: list[int], offset_s: Floats) -> list[int]:
    """Those of a part that lie with most of it."""
    middle = float(np.median(offset_s[part]))
    kept = [i for i in part if abs(offset_s[i] - middle) <= LEAST_JUMP_S / 2]
    return kept or part
