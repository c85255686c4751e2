"""Hear the reference, place one recording against it and render it: what lone pairs and batches share."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

from gullywind.core.align import PreparedReference, hear, index_reference
from gullywind.core.bending.bent import bent_alignment
from gullywind.core.bending.match import match_performances
from gullywind.core.bending.prove import prove_bend
from gullywind.core.by_timecode import codes_of
from gullywind.core.features.extract import Heard, claps_of, views_of
from gullywind.core.features.performance import Performance, hear_performance
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.ground.words import Note
from gullywind.core.judge.judge import unplaced
from gullywind.core.judge.notes import heard_notes, silent_note
from gullywind.core.maps.ties import BendSettings
from gullywind.core.maps.timeline import Timeline
from gullywind.core.measure.evidence import Alignment, Status, Way
from gullywind.core.measure.windows import MapAll
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.file_notes import clipped_notes, failed_by_itself, file_notes
from gullywind.core.sound.timecode import Timecode
from gullywind.core.sound.views import sounding_channels
from gullywind.core.ways import WAYS, align_pair, surest
from gullywind.formats.derived import save_heard
from gullywind.formats.media import open_media, with_sound
from gullywind.formats.result_json import RecordingResult
from gullywind.formats.sound_files import Sound

#: `report(path, fraction_done)`; called from several threads or processes.
Report = Callable[[Path, float], None]


@dataclass(frozen=True)
class PlaceRequest:
    """What to do: files in, where to write sound and pictures to (None: nowhere), by which ways places may be found.

    `bend`: the recordings are other performances of the reference's part, and how they are bent; None: they heard the
    same event.
    """

    reference: Path
    recordings: tuple[Path, ...]
    render_dir: Path | None
    ways: tuple[Way, ...] = WAYS
    picture_dir: Path | None = None
    bend: BendSettings | None = None


@dataclass(frozen=True, slots=True)
class Outputs:
    """Where one recording is written to: its aligned sound, its picture with the reference's sound; None: nowhere."""

    sound: Path | None = None
    picture: Path | None = None


@dataclass(frozen=True, eq=False)
class Placed:
    """What came of it; `reference` is None where the reference itself could not be read, `reference_codes` what it says
    of its time, the most trustworthy first.
    """

    reference: MediaFacts | None
    reference_notes: tuple[Note, ...]
    recordings: tuple[RecordingResult, ...]
    reference_codes: tuple[Timecode, ...] = ()

    @property
    def failed(self) -> bool:
        """Whether some file could not be read or written."""
        codes = {"unreadable", "storage"}
        notes = [*self.reference_notes, *(note for one in self.recordings for note in one.notes)]
        return any(note.code in codes for note in notes)


@dataclass(frozen=True, eq=False)
class Reference:
    """The reference as it was heard, ready for searches."""

    facts: MediaFacts
    heard: tuple[Heard, ...]
    name: str

    @cached_property
    def prepared(self) -> PreparedReference:
        """With its search indices."""
        return index_reference(self.heard)

    @cached_property
    def performance(self) -> Performance:
        """As it is compared with other performances."""
        return hear_performance(performed(self.heard).view)

    @cached_property
    def codes(self) -> tuple[Timecode, ...]:
        """What it says of its time, the most trustworthy first."""
        return codes_of(self.facts, self.heard[0].timecode)


def hear_reference(path: Path, spool: Path, report: Report) -> tuple[Sound, MediaFacts, tuple[Heard, ...]]:
    """Open and hear the reference.

    Raises
    ------
    GullywindError : it cannot be read.
    """
    found = _open_and_hear(path, spool, report, 0.5, 1.0)
    report(path, 1.0)
    return found


def place_one(
    path: Path,
    spool: Path,
    get_reference: Callable[[], Reference | None],
    outputs: Outputs,
    report: Report,
    map_all: MapAll,
    request: PlaceRequest,
    keep: Path | None = None,
) -> RecordingResult:
    """Open, hear, place and perhaps render one recording; whatever goes wrong with it is in the result.

    Parameters
    ----------
    spool : where decoded sound goes; removed afterwards.
    get_reference : waits for the reference; None where it could not be read.
    outputs : what to write, and where.
    request : by which ways it may be placed, or how it is bent.
    keep : folder for what was heard, where it may be needed again.
    """
    try:
        sound, facts, heard = _open_and_hear(path, spool, report, 0.3, 0.6)
    except GullywindError as error:
        return RecordingResult(
            str(path), None, None, (Note(error.code, f"{path.name} {error}."),), performed=request.bend is not None
        )
    except Exception as error:
        return RecordingResult(str(path), None, None, (failed_by_itself(error),))
    try:
        if keep:
            keep.mkdir(exist_ok=True)
            save_heard(keep, heard)
        reference = get_reference()
        if reference is None:
            note = Note("unreadable", "Not judged: the reference could not be read.")
            return RecordingResult(str(path), facts, None, (note,))
        placing = _part(report, path, 0.6, 0.9)
        if request.bend:
            alignment = bend_performance(reference, heard, request.bend, placing)
        else:
            found = align_pair(reference.prepared, heard, ways=request.ways, map_all=map_all, checkpoint=placing)
            alignment = surest(found, heard)
        source = Delivered(path, sound, facts, alignment)
        notes = (*file_notes(facts), *write_placed(source, reference, outputs))
        if alignment.ties and outputs.sound and outputs.sound.exists():
            alignment = proved_bend(alignment, reference, outputs.sound)
        report(path, 1.0)
        rate = reference.codes[0].counting.rate if reference.codes else None
        codes, claps = codes_of(facts, heard[0].timecode, rate), claps_of(heard)
        return RecordingResult(
            str(path), facts, alignment, notes, codes=codes, claps=claps, performed=request.bend is not None
        )
    except Exception as error:
        return RecordingResult(str(path), facts, None, (failed_by_itself(error),))
    finally:
        sound.close()
        spool.unlink(missing_ok=True)


def bend_performance(
    reference: Reference, heard: Sequence[Heard], settings: BendSettings, checkpoint: Checkpoint
) -> Alignment:
    """Match another performance with the reference, and bend it."""
    if all(one.silent for one in heard) or all(one.silent for one in reference.heard):
        return unplaced((*heard_notes(heard), silent_note(reference.heard, heard)))
    ours = reference.performance
    checkpoint(0.2)
    one = performed(heard)
    theirs = hear_performance(one.view, checkpoint=lambda done: checkpoint(0.2 + 0.3 * done))
    matched = match_performances(ours, theirs, checkpoint=lambda done: checkpoint(0.5 + 0.5 * done))
    alignment = bent_alignment(ours, theirs, matched, one.view.duration_s, settings)
    code = one.timecode_channels
    sounding = sounding_channels(one.view.source.channels, code)
    return replace(alignment, notes=(*heard_notes(heard), *alignment.notes), sounding=sounding)


def proved_bend(alignment: Alignment, reference: Reference, written: Path) -> Alignment:
    """With what is left over in the sound as it was written."""
    sound, _ = open_media(written, written.with_suffix(".spool"))
    try:
        bent = hear_performance(views_of(sound)[0][0])
    finally:
        sound.close()
    residual, trace = prove_bend(reference.performance, bent)
    return replace(alignment, residual=residual, trace=trace)


def performed(heard: Sequence[Heard]) -> Heard:
    """The view by which performances are compared: the first that sounds."""
    return next((one for one in heard if not one.silent), heard[0])


@dataclass(frozen=True, eq=False)
class Delivered:
    """A recording that may be written: its file, its sound and facts, and where it lies."""

    path: Path
    sound: Sound
    facts: MediaFacts
    alignment: Alignment


def write_placed(one: Delivered, reference: Reference, outputs: Outputs) -> tuple[Note, ...]:
    """Write a recording that is placed, as far as it is to be written; what to know of it. Nothing of an unsure one."""
    version = one.alignment.version
    if one.alignment.status is not Status.PLACED or version is None:
        return ()
    notes = list[Note]()
    # Loaded only for those who write: it takes a tenth of a second.
    if outputs.sound:
        from gullywind.actions.deliver.render_file import render_file

        try:
            clipped = render_file(one.sound, one.facts, version, Timeline.of(reference.facts), outputs.sound)
            notes += clipped_notes(clipped)
        except GullywindError as error:
            notes.append(Note(error.code, str(error)))
    if outputs.picture and one.facts.picture_start_s is not None:
        from gullywind.actions.deliver.picture_file import picture_file, reference_for_picture

        first = reference.heard[0]
        channels = sounding_channels(first.view.source.channels, first.timecode_channels)
        try:
            new = reference_for_picture(reference.name, first.view.source, version.time_map, channels)
            picture_file(one.path, one.facts, [new], outputs.picture)
        except GullywindError as error:
            notes.append(Note(error.code, str(error)))
    return tuple(notes)


def _open_and_hear(
    path: Path, spool: Path, report: Report, decoded: float, heard: float
) -> tuple[Sound, MediaFacts, tuple[Heard, ...]]:
    """`decoded` and `heard`: how far the work on the file is then."""
    hearing = _part(report, path, decoded, heard)
    return with_sound(
        path, spool, lambda sound, _: hear(sound, checkpoint=hearing), checkpoint=_part(report, path, 0.0, decoded)
    )


def _part(report: Report, path: Path, low: float, high: float) -> Checkpoint:
    return lambda done: report(path, low + (high - low) * done)
