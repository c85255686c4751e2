"""Migrations keep what is stored, and end where the tables in code are."""

import sqlalchemy as sa

from gullywind.actions.edit.step_history import redo, undo
from gullywind.store.history import list_changes
from gullywind.store.migrate import check, migrate
from gullywind.store.projects import list_projects
from gullywind.store.recordings import find_media, get_recording
from scripts.old_project import fill
from tests.database import DatabaseTest


class FrameRatesTest(DatabaseTest):
    revision = "0003"

    def test_rates_become_the_fractions_that_they_stood_for(self):
        rates = {
            "film": (23.976, "24000/1001"),
            "europe": (25.0, "25"),
            "america": (29.97, "30000/1001"),
            "double": (59.94, "60000/1001"),
        }
        with self.context.database.session() as session:
            for name, (rate, _) in rates.items():
                session.execute(
                    sa.text(
                        "INSERT INTO project (id, name, frame_rate, version)"
                        " VALUES (gen_random_uuid(), :name, :rate, 1)"
                    ),
                    {"name": name, "rate": rate},
                )
            for name, rate in (("a", 30000 / 1001), ("b", 12.5), ("c", None)):
                session.execute(
                    sa.text(
                        "INSERT INTO media (content_hash, size_bytes, state, is_float, truncated, clipped_samples,"
                        " silent, gaps, frame_rate) VALUES (:name, 1, 'waiting', false, false, 0, false, '[]', :rate)"
                    ),
                    {"name": name, "rate": rate},
                )
        migrate(self.settings.database_url)
        check(self.settings.database_url)
        with self.context.database.session() as session:
            found = {one.name: one.frame_rate for one in list_projects(session)}
            self.assertEqual(found, {name: text for name, (_, text) in rates.items()})
            media = [find_media(session, name) for name in "abc"]
            self.assertEqual([one.frame_rate for one in media], ["30000/1001", "25/2", None])


class ChangesTest(DatabaseTest):
    """What the version before stored: steps of undo for each recording, one judgement each."""

    revision = "0004"

    def test_nothing_is_lost_and_every_step_can_be_gone_to(self):
        with self.context.database.session() as session:
            project, ids = fill(session, 3, 5)
            before = dict(session.execute(sa.text("SELECT id, pieces FROM map_version")).all())
        migrate(self.settings.database_url)
        check(self.settings.database_url)
        with self.context.database.session() as session:
            stored = dict(session.execute(sa.text("SELECT id, stored -> 'pieces' FROM version")).all())
            self.assertEqual(stored, before)
            changes = list_changes(session, project)
            self.assertEqual([one.number for one in changes], list(range(1, 16)))
            self.assertEqual(sum(one.applied for one in changes), 12)
            second = get_recording(session, ids[2])
            self.assertEqual((second.current.sentence, second.current.value.sounding.polarity), ("step 4", -1))
            self.assertEqual(second.placing.judged.time_map.offset_s, 2 + 1 / 7)
            self.assertEqual(second.placing.measurement.channels, [[0], [0]])
            self.assertEqual(second.proof.windows, [[1.0, 0.1, 20.0, 0.9]])
            third = get_recording(session, ids[3])
            # Its judged version was dropped before; what the search offered says where it was.
            self.assertIsNone(third.placing.judged)
            self.assertEqual(third.placing.measurement.pieces, [[[3 + 1 / 7, 0], [13 + 1 / 7, 10]]])
            undo(self.context, session, project, ids[1])
            undo(self.context, session, project, ids[1])
            sounding = get_recording(session, ids[1]).current.value.sounding
            self.assertEqual((sounding.gaps, sounding.pitch), ("room-tone", "sensible"))
            redo(self.context, session, project, ids[1])
            self.assertEqual(get_recording(session, ids[1]).current.value.sounding.pitch, "kept")
            undo(self.context, session, project)
