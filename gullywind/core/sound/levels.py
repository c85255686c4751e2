"""Gains that bring recordings to one loudness (ITU-R BS.1770-4) without their true peaks going over a limit. dB."""

from dataclasses import dataclass

#: What room and codec add to a peak after it was measured, and what four times oversampling leaves unseen.
PEAK_MARGIN_DB = 0.1
#: Where delivered sound is meant to peak at most, unless told otherwise (EBU R 128).
USUAL_LIMIT_DBTP = -1.0


@dataclass(frozen=True, slots=True)
class Matched:
    """A gain, dB; `limited_db` is how much more the loudness would have asked for."""

    gain_db: float
    limited_db: float = 0.0


def matched_gain(loudness_lufs: float, true_peak_dbtp: float, *, target_lufs: float, limit_dbtp: float) -> Matched:
    """The gain that brings a recording to a loudness, as far as its true peak allows.

    Examples
    --------
    >>> matched_gain(-30.0, -20.0, target_lufs=-23.0, limit_dbtp=-1.0)
    Matched(gain_db=7.0, limited_db=0.0)
    """
    wanted_db = target_lufs - loudness_lufs
    allowed_db = limit_dbtp - PEAK_MARGIN_DB - true_peak_dbtp
    if wanted_db <= allowed_db:
        return Matched(wanted_db)
    return Matched(allowed_db, wanted_db - allowed_db)
