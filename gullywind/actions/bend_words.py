"""The words for bends: how much is followed, what a tie is and what became of it, what the limit keeps back."""

from gullywind.core.ground.words import clock_time, percent
from gullywind.core.maps.bending import Bend, Bending
from gullywind.core.maps.ties import BendSettings, Tie, TieKind


def bent_words(bending: Bending) -> str:
    """Along how many ties a recording is bent, and how closely."""
    followed = sum(tie.held or tie.certainty >= bending.settings.least_certainty for tie in bending.ties)
    if not followed:
        return "its timing untouched: nothing in it can be held on to"
    if is_untouched(bending):
        return f"its timing untouched, {followed} ties at hand"
    closeness = bending.settings.closeness
    close = f" by {closeness * 100:g}\u00a0%" if closeness < 1 else ""
    return f"bent{close} along {followed} ties"


def is_untouched(bending: Bending) -> bool:
    """Whether no tie takes anything away: what was matched unsurely, until a person says how closely it follows."""
    return bending.settings.closeness == 0 and all(tie.closeness is None and not tie.held for tie in bending.ties)


def kept_back_words(bending: Bending, made: Bend) -> str:
    """What the limit keeps back, and how often it had to be cut; empty where neither is so."""
    kept = [index for index in range(len(bending.ties)) if made.is_kept_back(index)]
    parts = []
    if kept:
        worst = max(kept, key=lambda index: abs(made.given_up_s[index]))
        ties = (
            "a tie from where it would lie, that"
            if len(kept) == 1
            else f"{len(kept)} ties from where they would lie, that"
        )
        where, by_ms = clock_time(bending.ties[worst].t_ref), abs(made.given_up_s[worst]) * 1e3
        parts.append(f"The limit keeps {ties} at {where} by {by_ms:.0f} ms.")
    if made.joints:
        count = len(made.joints)
        parts.append(f"Cut in {'one place' if count == 1 else f'{count} places'}, where the two do not correspond.")
    return " ".join(parts)


def tie_words(tie: Tie) -> str:
    """What a tie holds on to, and how sure that is."""
    kind = {TieKind.START: "start", TieKind.OPENING: "opening of a vowel", TieKind.END: "end"}[tie.kind]
    sure = "by hand" if tie.by_hand else f"{percent(tie.certainty)}\u00a0% sure"
    return f"{kind}{', held' if tie.held else ''}, {sure}"


def moved_words(late_s: float, moved_s: float) -> str:
    """How much of a tie's difference was taken away, and what is left."""
    words = f"{moved_s * 1e3:+.1f} ms moved, {(late_s + moved_s) * 1e3:+.1f} ms left"
    return words.replace("+0.0", "0.0").replace("-0.0", "0.0").replace("-", "−")


def unfollowed_words(tie: Tie, settings: BendSettings) -> str:
    """Why a tie is not followed."""
    if tie.certainty < settings.least_certainty:
        return "not followed: too uncertain"
    if tie.kind is TieKind.END and not settings.ends:
        return "not followed: ends stay"
    return "not followed: a surer one is in its way"
