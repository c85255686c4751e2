"""The inner loops, compiled where they were, else in plain numpy: slower by some times, and right all the same."""

try:
    from gullywind.core.native import compiled as loops
    from gullywind.core.native import compiled_lines as lines
    from gullywind.core.native import compiled_paths as paths
except ImportError:
    # No compiler at set-up, or another kind of processor.
    from gullywind.core.native import plain as loops  # type: ignore[no-redef]
    from gullywind.core.native import plain_lines as lines  # type: ignore[no-redef]
    from gullywind.core.native import plain_paths as paths  # type: ignore[no-redef]

from gullywind.core.native.checks import Spectrum

interpolate = loops.interpolate
thin = loops.thin
cut = loops.cut
band_powers = loops.band_powers
advance = loops.advance
sum_spectra = loops.sum_spectra
compare = loops.compare
band_coherence = loops.band_coherence
weigh = loops.weigh
correlation_at = loops.correlation_at
weighted_energy = loops.weighted_energy
extremes = loops.extremes
true_peak = loops.true_peak
whiten = lines.whiten
fold_products = lines.fold_products
pool_lags = lines.pool_lags
best_line = lines.best_line
best_walk = paths.best_walk
common_passage = paths.common_passage
common_passage_both_ways = paths.common_passage_both_ways
likely_course = paths.likely_course

__all__ = [
    "Spectrum",
    "advance",
    "band_coherence",
    "band_powers",
    "best_line",
    "best_walk",
    "common_passage",
    "common_passage_both_ways",
    "compare",
    "correlation_at",
    "cut",
    "extremes",
    "fold_products",
    "interpolate",
    "likely_course",
    "pool_lags",
    "sum_spectra",
    "thin",
    "true_peak",
    "weigh",
    "weighted_energy",
    "whiten",
]
