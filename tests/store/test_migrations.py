"""Migrations keep what is stored, and end where the tables in code are."""

import sqlalchemy as sa

from gullywind.store.migrate import check, migrate
from gullywind.store.projects import list_projects
from gullywind.store.recordings import find_media
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
