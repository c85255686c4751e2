"""The words for what was found: one sentence a recording, one line of facts a file."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Literal
from uuid import UUID

from gullywind.actions.bend_words import bent_words, is_untouched
from gullywind.core.ground.speeds import MOST_CLOCK
from gullywind.core.ground.units import SOUND_M_S
from gullywind.core.ground.words import clock_time, later, length, percent, to_the_millisecond
from gullywind.core.judge.notes import LEAST_PPM, PERFORMANCE, UNHEARD_MS, break_notes, left_over_words
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import Version
from gullywind.core.measure.doubling import Doubling, DoublingKind
from gullywind.core.sound.file_notes import file_notes
from gullywind.store.tables import ChangeRow, MediaRow, MediaState, RecordingRow

#: Notes that say more than that nothing sounds like it.
TOLD_INSTEAD = ("silent", PERFORMANCE)
SPEED_CODES = ("rate-mislabelled", "speed-changed")
MOST_BREAKS_TOLD, MOST_PLACES_TOLD = 2, 2
#: A rival with this share of the best one's score is worth naming.
CLOSE_SCORE = 0.6


def sentence_of(row: RecordingRow) -> str:
    """Where a recording is, how its clock runs, what is left over, how sure."""
    media, judged, current = row.media, row.placing, row.current
    if media.state == MediaState.FAILED:
        return f"Cannot be used: {media.reason}."
    if row.is_set_aside:
        return "Set aside: it does not belong here, as you said."
    if current is None:
        if judged is None:
            return "Not placed yet."
        told = next((n["message"] for n in judged.notes if n["code"] in TOLD_INSTEAD), None)
        if told or judged.status == "unplaced":
            return told or "Does not belong here: nothing sounds like it."
        return "Has no place now: the one that was found was taken back."
    if judged and judged.status == "unsure" and row.is_untouched:
        # What it may be instead stands among the notes.
        performed = [n["message"] for n in judged.notes if n["code"] == PERFORMANCE]
        part = [n["message"].split(". ")[0] + "." for n in judged.notes if n["code"] == "part-alike"]
        # What was found through another recording has no places to choose from.
        here = [{"offset_s": current.value.heard_map.offset_s, "score": 1.0}]
        return " ".join([*performed, unsure_sentence(judged.candidates or here, judged.confidence), *part])
    time_map = current.value.heard_map
    offset = time_map.offset_s
    start = (
        f"Starts {to_the_millisecond(offset)} in"
        if offset >= 0
        else f"Starts {to_the_millisecond(-offset)} before the reference"
    )
    bending = current.value.bending
    if bending:
        parts = [f"{start}, {bent_words(bending)}", *_purpose_words(current.value)]
    else:
        parts = [f"{start}, {_clock_words(row, time_map)}", *_break_words(time_map), *_purpose_words(current.value)]
    proof = row.current_proof
    if proof and proof.residual:
        parts.append(left_over_words(proof.residual["median_ms"], proof.residual["p95_ms"]))
    elif proof:
        parts.append("nothing in it is clear enough to measure what is left over")
    if bending:
        return f"{'; '.join(parts)}."
    if judged is None or judged.status == "unsure" or not row.is_as_judged:
        return f"{'; '.join(parts)}. Set by hand: {current.sentence}."
    if judged.through:
        parts.append(f"found through {' and '.join(judged.through)}")
    sure = f"{percent(judged.confidence)}\u00a0% sure"
    return f"{'; '.join(parts)}. {sure[0].upper()}{sure[1:]}."


def notes_of(row: RecordingRow) -> list[dict[str, str]]:
    """What else there is to know of it: by its judgement; of its file alone once it follows the reference by ties."""
    if row.placing is None:
        return []
    return [asdict(note) for note in file_notes(row.media.to_facts())] if row.is_bent else row.placing.notes


def _clock_words(row: RecordingRow, time_map: TimeMap) -> str:
    notes = row.placing.notes if row.placing else []
    speed = next((n["message"] for n in notes if n["code"] in SPEED_CODES), None)
    if speed and abs(time_map.rate - 1) > MOST_CLOCK:
        return f"{speed[0].lower()}{speed[1:].rstrip('.')}"
    ppm = time_map.clock_ppm
    if abs(time_map.rate - 1) > MOST_CLOCK:
        return f"played at {time_map.rate * 100:.3f} % of its speed"
    wandering = next((n["message"] for n in notes if n["code"] == "wandering"), None)
    if wandering and not all(piece.is_straight for piece in time_map.pieces):
        return f"{wandering[0].lower()}{wandering[1:].split(',')[0]}"
    slid_ms = abs(ppm) * 1e-3 * (row.media.duration_s or 0.0)
    if slid_ms < UNHEARD_MS or abs(ppm) < LEAST_PPM:
        return "in step with its clock"
    bent = ", not steadily" if not all(piece.is_straight for piece in time_map.pieces) else ""
    return f"runs {abs(ppm):.1f} ppm {'fast' if ppm > 0 else 'slow'}{bent} ({slid_ms:.3g} ms over its length)"


def _purpose_words(version: Version) -> list[str]:
    """What is so on purpose: the push, and that it is not delivered."""
    pushed = [f"pushed {later(version.push_s)} on purpose"] if version.push_s else []
    return pushed if version.sounding.kept else [*pushed, "scratch sound, not delivered"]


def _break_words(time_map: TimeMap) -> list[str]:
    broken = [note.message.rstrip(".") for note in break_notes(time_map)]
    if len(broken) > MOST_BREAKS_TOLD:
        return [f"in {len(broken) + 1} pieces"]
    return [f"{one[0].lower()}{one[1:]}" for one in broken]


def unsure_sentence(candidates: list[dict[str, float]], confidence: float) -> str:
    """Which places fit, best first, for a person to choose."""
    close = [one for one in candidates if one["score"] >= CLOSE_SCORE * candidates[0]["score"]]
    told = [f"{clock_time(one['offset_s'])} ({one['score']:.2f})" for one in close[:MOST_PLACES_TOLD]]
    if len(close) < 2:
        return f"Perhaps at {told[0]}, only {percent(confidence)} % sure: hear it."
    more = " and more" if len(close) > len(told) else ""
    return f"{len(close)} places fit: {', '.join(told)}{more}. Hear them and choose."


def clock_label(row: RecordingRow) -> str:
    """The clock in the fewest characters: ppm with its sign, or what else is the matter."""
    if row.current is None:
        return ""
    codes = {n["code"] for n in row.placing.notes} if row.placing else set()
    time_map = row.current.value.heard_map
    if row.current.value.bending:
        return "untouched" if is_untouched(row.current.value.bending) else "bent"
    if abs(time_map.rate - 1) > MOST_CLOCK:
        return "wrong rate" if "rate-mislabelled" in codes else "speed"
    if "wandering" in codes and not all(piece.is_straight for piece in time_map.pieces):
        return "wanders"
    ppm = time_map.clock_ppm
    return f"{ppm:+.1f}".replace("-", "−") if abs(ppm) >= LEAST_PPM else "0.0"


@dataclass(frozen=True, slots=True)
class ClockFigure:
    """A clock to be read and typed over: ppm, or per cent of its speed; `error` is empty where it was not measured."""

    value: str
    unit: Literal["ppm", "%"]
    error: str


def clock_figure(row: RecordingRow, time_map: TimeMap) -> ClockFigure:
    """The clock for the side of the bench."""
    if abs(time_map.rate - 1) > MOST_CLOCK:
        return ClockFigure(f"{time_map.rate * 100:.4f}", "%", "")
    error = row.placing.ppm_error if row.placing and row.is_as_judged else None
    value = f"{time_map.clock_ppm:+.2f}".replace("-", "−")
    if error is None:
        return ClockFigure(value, "ppm", "")
    return ClockFigure(value, "ppm", f"± {error:.2f}" if error >= 0.1 else f"± {max(error, 0.001):.3f}")


def doubling_words(found: Doubling) -> str:
    """What an ear makes of a lag, with sound's own way through air: that much two microphones differ at any place.

    Examples
    --------
    >>> doubling_words(Doubling(0.00042, DoublingKind.COMBED)), doubling_words(Doubling(-0.041, DoublingKind.ECHO))
    ('0.42 ms late: coloured by combing from 1.2 kHz on; 0.14 m of air', '41 ms early: an echo; 14 m of air')
    >>> doubling_words(Doubling(0.00001, DoublingKind.IN_STEP))
    'in step'
    """
    if found.notch_hz is None:
        return found.kind.value
    lag_ms = abs(found.lag_s) * 1e3
    digits = 2 if lag_ms < 1 else 1 if lag_ms < 10 else 0
    side = "late" if found.lag_s > 0 else "early"
    notch = f" from {_frequency(found.notch_hz)} on" if found.kind is DoublingKind.COMBED else ""
    metres = abs(found.lag_s) * SOUND_M_S
    air = f"{metres:.2f}" if metres < 1 else f"{metres:.1f}" if metres < 10 else f"{metres:.0f}"
    return f"{lag_ms:.{digits}f} ms {side}: {found.kind}{notch}; {air} m of air"


def _frequency(value_hz: float) -> str:
    return f"{value_hz / 1e3:.1f} kHz" if value_hz >= 1e3 else f"{value_hz:.0f} Hz"


def change_words(change: ChangeRow, names: Mapping[UUID, str]) -> str:
    """What was done, and to whom: `Cam A: moved 1 ms later`, `12 recordings: measured clocks used`."""
    if change.moves_reference:
        return change.sentence
    ids = [part.recording_id for part in change.parts]
    whom = names.get(ids[0], "") if len(ids) == 1 else f"{len(ids)} recordings"
    return f"{whom}: {change.sentence}"


def batch_words(done: int, total: int, seconds_left: float | None) -> str:
    """How far a batch is: `12 of 72 through, about 2 min left`.

    Examples
    --------
    >>> batch_words(12, 72, 130.0), batch_words(0, 3, None), batch_words(70, 72, 4.0)
    ('12 of 72 through, about 2 min left', '0 of 3 through', '70 of 72 through, a few seconds left')
    """
    through = f"{done} of {total} through"
    if seconds_left is None:
        return through
    if seconds_left < 10:
        return f"{through}, a few seconds left"
    if seconds_left < 90:
        return f"{through}, about {round(seconds_left, -1):.0f} s left"
    if seconds_left < 5400:
        return f"{through}, about {seconds_left / 60:.0f} min left"
    return f"{through}, about {seconds_left / 3600:.1f} h left"


def facts_line(media: MediaRow) -> str:
    """Length, rate, channels, codec, level, in one line."""
    if media.state == MediaState.FAILED:
        return f"{media.reason}"
    if media.state == MediaState.STOPPED:
        return "listening was stopped"
    if media.state == MediaState.WAITING or media.duration_s is None:
        return "listening…"
    channels = {1: "mono", 2: "stereo"}.get(media.channels or 0, f"{media.channels} channels")
    parts = [length(media.duration_s), f"{(media.sample_rate_hz or 0) / 1000:g} kHz", channels, codec_words(media)]
    if media.silent:
        parts.append("silent")
    elif media.loudness_lufs is not None:
        parts.append(f"{media.loudness_lufs:.1f} LUFS".replace("-", "−"))
    if media.true_peak_dbtp is not None and not media.silent:
        parts.append(f"true peak {media.true_peak_dbtp:.1f} dBTP".replace("-", "−"))
    elif media.peak_dbfs is not None and not media.silent:
        parts.append(f"peak {media.peak_dbfs:.1f} dBFS".replace("-", "−"))
    if media.clipped_samples:
        parts.append(f"clips ({media.clipped_samples} samples)")
    if media.timecode:
        parts.append(f"timecode {media.timecode}")
    elif media.time_reference_samples:
        parts.append(f"time of day {clock_time(media.time_reference_samples / (media.sample_rate_hz or 48000))}")
    parts += [words for words, is_so in _file_words(media) if is_so]
    return " · ".join(part for part in parts if part)


#: FFmpeg's and libsndfile's names as an editor says them.
CODEC_NAMES = {
    "flac": "FLAC",
    "alac": "ALAC",
    "aac": "AAC",
    "aac_latm": "AAC",
    "mp3": "MP3",
    "mp3float": "MP3",
    "mp2": "MP2",
    "mp2float": "MP2",
    "opus": "Opus",
    "libopus": "Opus",
    "vorbis": "Vorbis",
    "ac3": "AC-3",
    "eac3": "E-AC-3",
    "amrnb": "AMR",
    "amrwb": "AMR-WB",
}


def codec_words(media: MediaRow) -> str:
    """How a file keeps its sound, as an editor says it: `24-bit`, `32-bit float`, `FLAC, 24-bit`, `AAC`."""
    codec = media.codec or ""
    bits = f"{media.bits}-bit{' float' if media.is_float else ''}" if media.bits else ""
    if codec.startswith("pcm_"):
        return bits or "PCM"
    name = CODEC_NAMES.get(codec, codec)
    return f"{name}, {bits}" if bits else name


def _file_words(media: MediaRow) -> list[tuple[str, bool]]:
    kinds = {gap["kind"] for gap in media.gaps}
    return [
        ("cut off", media.truncated),
        ("damaged in places", "damage" in kinds),
        ("with holes", "hole" in kinds),
        ("sound begins late", "late" in kinds),
    ]
