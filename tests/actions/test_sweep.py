import os
import time
from pathlib import Path

from gullywind.actions.projects.change_projects import create_project, delete_project
from gullywind.actions.projects.change_recordings import add_recording, forget_removed, remove_recordings
from gullywind.actions.projects.sweep import STALE_UPLOAD_S, YOUNG_S, free_derived, room, sweep
from gullywind.store.files import IncomingFile
from gullywind.store.recordings import list_recordings
from tests.database import DatabaseTest
from tests.files import wav_bytes
from tests.signals import busy


class SweepTest(DatabaseTest):
    def add(self, project_id, name: str, body: bytes):
        with self.context.database.session() as session:
            incoming = IncomingFile(self.context.media)
            incoming.write(body)
            return add_recording(self.context, session, project_id, name, incoming)

    def project(self):
        with self.context.database.session() as session:
            return create_project(session, "Evening", "25").id

    def left(self, path: Path, age_s: float) -> Path:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"left behind")
        past = time.time() - age_s
        os.utime(path, (past, past))
        os.utime(path.parent, (past, past))
        return path

    def test_what_belongs_to_nobody_goes_and_the_rest_stays(self):
        media = self.context.media
        kept = self.add(self.project(), "a.wav", wav_bytes(busy(1.0, 3))).content_hash
        old, young = STALE_UPLOAD_S + 60, 1.0
        upload = self.left(media.incoming() / "tmp1", old)
        arriving = self.left(media.incoming() / "tmp2", young)
        orphan = self.left(media.original("ab" * 32), YOUNG_S + 60)
        just_made = self.left(media.original("cd" * 32), young)
        delivery = self.left(media.delivery("0f" * 16) / "x.zip", YOUNG_S + 60)
        part = self.left(media.make_derived(kept) / "spool-1.part", old)
        sweep(self.context)
        for gone in (upload, orphan, delivery, part):
            self.assertFalse(gone.exists(), gone)
        for there in (arriving, just_made, media.original(kept)):
            self.assertTrue(there.exists(), there)

    def test_what_was_removed_for_good_takes_its_file_unless_another_recording_has_it(self):
        media, body = self.context.media, wav_bytes(busy(1.0, 4))
        first, second = self.project(), self.project()
        one, other = self.add(first, "a.wav", body), self.add(second, "b.wav", body)
        self.assertEqual(one.content_hash, other.content_hash)
        alone = self.add(first, "c.wav", wav_bytes(busy(1.0, 9))).content_hash
        with self.context.database.session() as session:
            remove_recordings(session, first, [row.id for row in list_recordings(session, first)])
        sweep(self.context)
        size = media.original(alone).stat().st_size
        self.assertEqual(room(self.context).removed, size)
        self.assertEqual(forget_removed(self.context, days=0.0), 2)
        self.assertFalse(media.original(alone).exists())
        self.assertTrue(media.original(one.content_hash).exists())
        self.assertEqual(room(self.context).removed, 0)
        delete_project(self.context, second)
        self.assertFalse(media.original(one.content_hash).exists())
        self.assertFalse(media.derived(one.content_hash).exists())

    def test_decoded_sound_has_a_budget_and_what_was_used_last_stays(self):
        media, project = self.context.media, self.project()
        hashes = [self.add(project, f"{k}.wav", wav_bytes(busy(1.0, 5 + k))).content_hash for k in range(3)]
        spools = []
        for age_s, content_hash in zip((3 * YOUNG_S, 2 * YOUNG_S, 0.0), hashes, strict=True):
            media.make_derived(content_hash)
            spools.append(self.left(media.derived(content_hash) / "spool.raw", age_s))
        size = spools[0].stat().st_size
        self.assertEqual(room(self.context).spools, 3 * size)
        sweep(self.context, budget_bytes=2 * size)
        self.assertEqual([spool.exists() for spool in spools], [False, True, True])
        self.assertEqual(free_derived(self.context), 2 * size)
        self.assertEqual(room(self.context).spools, 0)
        self.assertTrue(all(media.original(content_hash).exists() for content_hash in hashes))
