"""A project as revision 0004 stored it: steps of undo for each recording, one judgement."""

import json
import uuid
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session


def fill(session: Session, recordings: int, versions: int) -> tuple[uuid.UUID, list[uuid.UUID]]:
    """A project with a reference and other recordings, each with its versions, of which the last was taken back.

    Recording 2 is inverted; of recording 3 the judged version was dropped. Returns the project's id and the
    recordings', the reference first.
    """
    project, ids = uuid.uuid4(), [uuid.uuid4() for _ in range(recordings + 1)]
    _insert(session, "project", [{"id": project, "name": "Old", "frame_rate": "25", "version": 3}])
    _insert(session, "media", [_media(f"{project}-{k}") for k in range(len(ids))])
    _insert(
        session,
        "recording",
        [
            {
                "id": one,
                "project_id": project,
                "content_hash": f"{project}-{k}",
                "name": f"R{k}",
                "file_name": f"R{k}.wav",
                "map_number": max(versions - 1, 0) if k else 0,
                "version": versions + 1,
            }
            for k, one in enumerate(ids)
        ],
    )
    chosen = sa.text("UPDATE project SET reference_id = :ref WHERE id = :id")
    session.execute(chosen, {"ref": ids[0], "id": project})
    for k, one in enumerate(ids[1:], 1):
        made = [uuid.uuid4() for _ in range(versions)]
        _insert(session, "map_version", [_version(key, one, k, number) for number, key in enumerate(made, 1)])
        _insert(session, "alignment", [_judgement(one, ids[0], k, made[0])])
        windows = [[1.0, 0.1, 20.0, 0.9]]
        _insert(
            session, "proof", [{"recording_id": one, "map_version_id": made[0], "windows": windows, "window_s": 2.7}]
        )
    return project, ids


def _media(content_hash: str) -> dict[str, Any]:
    return {
        "content_hash": content_hash,
        "size_bytes": 1,
        "state": "ready",
        "is_float": False,
        "truncated": False,
        "clipped_samples": 0,
        "silent": False,
        "gaps": [],
        "samples": 480000,
        "sample_rate_hz": 48000,
        "channels": 1,
    }


def _version(key: uuid.UUID, recording_id: uuid.UUID, k: int, number: int) -> dict[str, Any]:
    return {
        "id": key,
        "recording_id": recording_id,
        "number": number,
        "sentence": f"step {number}",
        "pieces": [[[k + number / 7, 0.0], [k + number / 7 + 10.0, 10.0]]],
        "gaps": "room-tone" if number == 2 else "silent",
        "pitch": "kept" if number == 3 else "sensible",
        "polarity": -1 if k == 2 else 1,
    }


def _judgement(recording_id: uuid.UUID, reference_id: uuid.UUID, k: int, made: uuid.UUID) -> dict[str, Any]:
    return {
        "recording_id": recording_id,
        "reference_id": reference_id,
        "status": "placed",
        "confidence": 0.99,
        "polarity": -1 if k == 2 else 1,
        "ppm_error": 0.5,
        "candidates": [{"offset_s": k + 1 / 7, "rate": 1.0, "score": 0.9}],
        "notes": [{"code": "x", "message": "Said."}],
        "channels": [[0], [0]],
        "map_version_id": made if k != 3 else None,
    }


def _insert(session: Session, table: str, rows: list[dict[str, Any]]) -> None:
    names = list(rows[0])
    values = ", ".join(f":{one}" for one in names)
    session.execute(
        sa.text(f'INSERT INTO "{table}" ({", ".join(names)}) VALUES ({values})'),
        [{key: json.dumps(one) if isinstance(one, list) else one for key, one in row.items()} for row in rows],
    )
