"""Tie a recording that does not find its place by the reference to those that heard the same as it."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from uuid import UUID

from gullywind.actions.bring_in.listen_to_media import hear_stored, open_stored
from gullywind.actions.context import Context
from gullywind.actions.place.draw_places import known_of
from gullywind.core.align import align_recording, index_reference
from gullywind.core.features.extract import Heard
from gullywind.core.ground.errors import UnreadableError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.judge.placing import Known
from gullywind.core.measure.evidence import Alignment, Way
from gullywind.core.neighbours import MOST_SEARCHED, cut_off_with, likely_neighbours, said_to_share
from gullywind.store.placings import measurements_of
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, list_recordings, reference_of
from gullywind.store.tables import MediaState


def tie_neighbours(
    context: Context, recording_id: UUID, heard: tuple[Heard, ...], checkpoint: Checkpoint
) -> list[tuple[str, Alignment]]:
    """Compare a recording with its likely neighbours; each one's content, and where it lies on the recording.

    Pairs that were compared before are not compared again.
    """
    hashes = _others(context, recording_id)
    if not hashes or all(one.silent for one in heard):
        return []
    own = index_reference(heard)
    with ExitStack() as opened:
        found: dict[str, tuple[Heard, ...]] = {}

        def others() -> Iterator[tuple[str, Sequence[Heard]]]:
            for k, content_hash in enumerate(hashes):
                checkpoint(0.3 * k / len(hashes))
                try:
                    sound, _ = open_stored(context.media, content_hash)
                except UnreadableError:
                    # Its own failure is told in its own row.
                    continue
                opened.callback(sound.close)
                found[content_hash] = hear_stored(context.media, content_hash, sound)
                yield content_hash, found[content_hash]

        likely = likely_neighbours(own, others())
        ties = dict[str, Alignment]()

        def compare(contents: Sequence[str], begins: float, share: float) -> None:
            for k, content_hash in enumerate(contents):
                ties[content_hash] = align_recording(
                    own,
                    found[content_hash],
                    checkpoint=lambda done, k=k: checkpoint(begins + share * (k + done) / len(contents)),  # type: ignore[misc]
                )

        compare(likely, 0.3, 0.5)
        duration_s = own.heard[0].view.duration_s
        key, timeline, before = _known_before(context, recording_id)

        def known() -> list[Known]:
            return [*before, *(Known.measured(key, duration_s, one, judged) for one, judged in ties.items())]

        compare([one for one in said_to_share(key, duration_s, known()) if one in found], 0.8, 0.1)
        together = cut_off_with(key, timeline, known())
        if together:
            rest = [(one, heard) for one, heard in found.items() if one not in together and one not in ties]
            compare(likely_neighbours(own, rest, least_height=0.0), 0.9, 0.1)
        return list(ties.items())


def _known_before(context: Context, recording_id: UUID) -> tuple[str, str, list[Known]]:
    """Names of a recording's content and of its reference's, and what is known of all of its project."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        reference = reference_of(session, get_project(session, row.project_id))
        contents = [one.content_hash for one in list_recordings(session, row.project_id)]
        known = known_of(session, measurements_of(session, row.project_id, contents))
    return row.content_hash, reference.content_hash if reference else "", known


def _others(context: Context, recording_id: UUID) -> list[str]:
    """Contents of a project's other recordings that it was not compared with yet; the reference is not among them."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        project = get_project(session, row.project_id)
        known = measurements_of(session, project.id, [row.content_hash])
        compared = {one.timeline_hash for one in known if one.way == Way.SOUND}
        compared |= {one.recording_hash for one in known if one.way == Way.SOUND}
        others = [
            one.content_hash
            for one in list_recordings(session, project.id)
            if one.id != project.reference_id and one.media.state == MediaState.READY and not one.media.silent
        ]
        return [one for one in dict.fromkeys(others) if one != row.content_hash and one not in compared][:MOST_SEARCHED]
