import os
import signal
import subprocess
import sys
import time
from pathlib import Path

from gullywind.actions.place.place_recording import request_placing
from gullywind.actions.projects.change_projects import change_project, create_project
from gullywind.actions.projects.change_recordings import add_recording
from gullywind.store.files import IncomingFile
from gullywind.store.recordings import get_recording
from gullywind.store.tables import WorkState
from gullywind.store.works import ask_to_stop, get_work, open_works
from tests.database import DatabaseTest
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy

ROOT = Path(__file__).resolve().parent.parent.parent
#: A generous end for waiting on another process; nothing is judged by how long it took.
PATIENCE_S = 120


class KilledWorkerTest(DatabaseTest):
    """Real worker processes; the first is killed with -9 in the middle of a job."""

    def worker(self) -> "subprocess.Popen[bytes]":
        environment = os.environ | {
            "GULLYWIND_DATABASE_URL": self.settings.database_url,
            "GULLYWIND_MEDIA_DIR": str(self.settings.media_dir),
        }
        child = subprocess.Popen([sys.executable, "-m", "gullywind.jobs"], cwd=ROOT, env=environment)
        self.addCleanup(child.wait)
        self.addCleanup(child.kill)
        return child

    def until(self, condition) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while not condition():
            self.assertLess(time.monotonic(), deadline, "waited in vain")
            time.sleep(0.02)

    def add(self, session, project_id, name: str, body: bytes):
        incoming = IncomingFile(self.context.media)
        incoming.write(body)
        return add_recording(self.context, session, project_id, name, incoming)

    def state(self, work_id) -> str:
        with self.context.database.session() as session:
            return get_work(session, work_id).state

    def test_the_job_is_done_again_and_nothing_is_lost(self):
        event = busy(240.0, 71)
        with self.context.database.session() as session:
            project = create_project(session, "Long evening", "25")
            desk = self.add(session, project.id, "desk.wav", wav_bytes(event))
            camera = self.add(session, project.id, "camera.wav", wav_bytes(event[10 * RATE_HZ :]))
            change_project(self.context, session, project.id, project.version, reference_id=desk.id)
            work_id = request_placing(self.context, session, project.id, [camera.id])[0].id
            first_ids = [one.id for one in open_works(session, project.id)]
        self.assertEqual(len(first_ids), 3)
        doomed = self.worker()
        self.until(lambda: any(self.state(one) == WorkState.RUNNING for one in first_ids))
        doomed.send_signal(signal.SIGKILL)
        doomed.wait()
        self.worker()
        self.until(lambda: all(self.state(one) == WorkState.DONE for one in first_ids))
        self.assertEqual(self.state(work_id), WorkState.DONE)
        with self.context.database.session() as session:
            self.assertEqual(get_recording(session, camera.id).current.value.time_map.offset_s, 10.0)

    def test_running_work_stops_when_asked(self):
        with self.context.database.session() as session:
            project = create_project(session, "Stopped", "25")
            desk = self.add(session, project.id, "desk.wav", wav_bytes(busy(400.0, 72)))
            works = list(open_works(session, project.id))
            ask_to_stop(session, works[0])
            self.assertEqual(works[0].state, WorkState.CANCELLED)
        with self.context.database.session() as session:
            change_project(self.context, session, project.id, project.version, reference_id=desk.id)
            other = self.add(session, project.id, "camera.wav", wav_bytes(busy(300.0, 73)))
            work_id = request_placing(self.context, session, project.id, [other.id])[0].id
        self.worker()
        self.until(lambda: self.state(work_id) == WorkState.RUNNING)
        with self.context.database.session() as session:
            ask_to_stop(session, get_work(session, work_id))
        self.until(lambda: self.state(work_id) == WorkState.CANCELLED)
        with self.context.database.session() as session:
            self.assertIsNone(get_recording(session, other.id).placing)
