"""The timeline of a project: its reference, until there are others."""

from gullywind.core.ground.errors import NotNowError
from gullywind.core.ground.frames import frame_rate
from gullywind.core.maps.timeline import Timeline
from gullywind.store.database import Session
from gullywind.store.recordings import reference_of
from gullywind.store.tables import MediaState, ProjectRow


def timeline_of(session: Session, project: ProjectRow) -> Timeline:
    """What the recordings of a project are lined up to; raises `NotNowError` where there is none to render along."""
    reference = reference_of(session, project)
    if reference is None:
        raise NotNowError("Choose the reference first: the recording that all others are lined up to.")
    if reference.media.state != MediaState.READY:
        raise NotNowError("The reference has not been listened to yet.")
    return Timeline.of(reference.media.to_facts(), frame_rate(project.frame_rate))
