"""Calibrated confidence: a logistic model over the numbers in `Support`, fitted by `scripts/calibrate.py`."""

import numpy as np

from gullywind.core.measure.evidence import Status, Support

#: Fitted on generated matches and non-matches, hard ones of both among them; docs/placing.md has the figures. How
#: high the coarse match is counts for nothing: among generated pieces it told right from wrong, in music it misled.
INTERCEPT = -15.1
WEIGHTS = {"chance": 5.17, "share": 5.8, "lead": 5.21, "even": 9.12, "whole": 4.15}
#: Windows become clearer than noise leaves them from the first of these qualities to the second; then this much of the
#: sound should be explained.
NOISY_QUALITY, PLAIN_QUALITY, WHOLE_SHARE = 15.0, 90.0, 0.85
#: Chance alone brings the sum over the whole overlap up to this height; each standard deviation beyond counts as so
#: many nats.
CHANCE_HEIGHT, NATS_EACH = 9.5, 2.0
#: Ten times as much evidence is not ten times as sure.
MOST_NATS = 30.0
#: No gain is more uneven than one that is there or not.
MOST_UNEVEN = 1.0
#: What an answer must reach: of placements called `placed`, none may be wrong in hundreds.
PLACED_FROM, UNSURE_FROM = 0.9, 0.25
#: A rival with this much of the best one's score is as good as equal, unless the best leads it surely.
REPEATS_FROM, SURE_LEAD = 0.8, 2.0
#: Windows this clear that agree beyond chance come from one sound, perhaps a part of it: that is told, not placed.
PART_NATS, PART_QUALITY, PART_SHARE = 8.0, 12.0, 0.5
#: Below this lead, in standard errors, nothing tells two places apart.
LEAST_LEAD = 0.25


def describe(support: Support) -> dict[str, float]:
    """The model's inputs, each roughly in 0..2, saturating: ten times as much evidence is not ten times as sure.

    `whole` is below 0 where windows are clear and yet sound is missing: noise leaves both or neither.
    """
    clear = np.log(max(support.quality, NOISY_QUALITY) / NOISY_QUALITY) / np.log(PLAIN_QUALITY / NOISY_QUALITY)
    along = NATS_EACH * max(support.height - CHANCE_HEIGHT, 0.0)
    return {
        "chance": min(support.chance_nats + along, MOST_NATS) / 15.0,
        "share": support.agreeing / max(support.windows, 1),
        "lead": min(support.lead, 4.0) / 4.0,
        "even": -(min(support.unevenness, MOST_UNEVEN) ** 0.5),
        "whole": -min(float(clear), 1.0) * max(WHOLE_SHARE - support.explained, 0.0),
    }


def confidence_of(support: Support) -> float:
    """Probability in 0..1 that the place is right, given its support."""
    inputs = describe(support)
    logit = INTERCEPT + sum(weight * inputs[name] for name, weight in WEIGHTS.items())
    confidence = float(1 / (1 + np.exp(-logit)))
    # Two places that cannot be told apart at all share what there is.
    return confidence if support.lead >= LEAST_LEAD else min(confidence, 0.5)


def is_repeat(support: Support, rival: Support | None) -> bool:
    """Whether another place fits as well, as far as can be told."""
    if rival is None or support.lead >= SURE_LEAD:
        return False
    return support.score > 0 and rival.score >= REPEATS_FROM * support.score


def status_of(confidence: float, support: Support, rival: Support | None) -> Status:
    """Whether a confidence is enough to place, enough to ask, or neither."""
    repeats = is_repeat(support, rival)
    if confidence >= PLACED_FROM and not repeats:
        return Status.PLACED
    clear = support.quality >= PART_QUALITY and support.agreeing >= PART_SHARE * support.windows
    alike = support.chance_nats > PART_NATS and (repeats or clear)
    return Status.UNSURE if confidence >= UNSURE_FROM or alike else Status.UNPLACED
