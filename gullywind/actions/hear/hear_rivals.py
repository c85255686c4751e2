"""Where to listen to tell one possible place from another."""

from uuid import UUID

import numpy as np

from gullywind.actions.context import Context
from gullywind.actions.hear.prove_recording import listening_pair
from gullywind.actions.rivals import rival_version
from gullywind.core.ground.errors import NotNowError
from gullywind.core.places.telling import telling_moment
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, reference_of


def moment_of_rival(context: Context, recording_id: UUID, index: int) -> float:
    """The reference time, s, at which this place is best told from the others; it is one moment of the recording."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        reference = reference_of(session, get_project(session, row.project_id))
        if reference is None or row.placing is None:
            raise NotNowError("Nothing was looked for yet, so there are no places to tell apart.")
        maps = [rival_version(row, k).time_map for k in range(len(row.placing.candidates))]
        chosen = rival_version(row, index).time_map
    t_rec = telling_moment(*listening_pair(context, reference, row), maps)
    return float(chosen.pieces[0].reference_along(np.array([t_rec]))[0])
