"""Work and queue that drifted apart, and work that is given up or put back; no processes, the real tables."""

import threading

import sqlalchemy as sa

from gullywind.actions.bring_in.listen_for_recording import listen_again
from gullywind.actions.projects.change_projects import create_project
from gullywind.actions.projects.change_recordings import add_recording
from gullywind.actions.work.batch import batch_of
from gullywind.actions.work.run_work import GIVEN_UP, MOST_ATTEMPTS, run_work
from gullywind.actions.work.start_work import start_work, take_up_lost_work
from gullywind.core.ground.errors import NotNowError
from gullywind.store.files import IncomingFile
from gullywind.store.recordings import get_recording
from gullywind.store.tables import MediaState, WorkKind, WorkState
from gullywind.store.works import ask_to_stop, end_work, get_work, open_works
from tests.database import DatabaseTest
from tests.files import wav_bytes
from tests.signals import busy


class LostWorkTest(DatabaseTest):
    def setUp(self):
        with self.context.database.session() as session:
            project = create_project(session, "Evening", "25")
            incoming = IncomingFile(self.context.media)
            incoming.write(wav_bytes(busy(1.0, 11)))
            self.recording_id = add_recording(self.context, session, project.id, "a.wav", incoming).id
            self.work_id = open_works(session, project.id)[0].id

    def tearDown(self):
        with self.context.database.session() as session:
            session.execute(sa.text("DELETE FROM project"))
            session.execute(sa.text("DELETE FROM media"))
            session.execute(sa.text("DELETE FROM procrastinate_jobs"))

    def job(self, status: str) -> None:
        with self.context.database.session() as session:
            session.execute(sa.text(f"UPDATE procrastinate_jobs SET status = '{status}'"))

    def work(self):
        with self.context.database.session() as session:
            return get_work(session, self.work_id)

    def recording(self):
        with self.context.database.session() as session:
            return get_recording(session, self.recording_id)

    def test_a_batch_says_how_many_are_through_and_how_long_the_rest_takes(self):
        with self.context.database.session() as session:
            project_id = get_work(session, self.work_id).project_id
            self.assertIsNone(batch_of(session, open_works(session, project_id)), "one alone is no batch")
            for _ in range(3):
                start_work(self.context, session, WorkKind.LISTEN, project_id, self.recording_id)
        with self.context.database.session() as session:
            # As if it had been asked for 30 s ago.
            session.execute(sa.text("UPDATE work SET created_at = created_at - interval '30 s'"))
            first, second = open_works(session, project_id)[:2]
            self.assertIsNone(batch_of(session, open_works(session, project_id)).seconds_left)
            end_work(session, first, WorkState.DONE, None)
            second.state, second.fraction_done = WorkState.RUNNING, 0.5
            session.flush()
            batch = batch_of(session, open_works(session, project_id))
            self.assertEqual((batch.done, batch.total), (1, 4))
            # One and a half in 30 s, two and a half to go.
            self.assertAlmostEqual(batch.seconds_left, 50.0, delta=2.0)

    def test_work_whose_job_will_be_done_is_left_alone(self):
        before = self.work().queue_job_id
        self.assertEqual(take_up_lost_work(self.context), 0)
        self.assertEqual(self.work().queue_job_id, before)

    def test_work_whose_job_failed_or_is_gone_is_queued_again_once(self):
        for status in ("failed", "aborted", "cancelled"):
            before = self.work().queue_job_id
            with self.context.database.session() as session:
                get_work(session, self.work_id).state = WorkState.RUNNING
            self.job(status)
            self.assertEqual(take_up_lost_work(self.context), 1)
            self.assertEqual(take_up_lost_work(self.context), 0)
            self.assertEqual(self.work().state, WorkState.QUEUED)
            self.assertGreater(self.work().queue_job_id, before)

    def test_what_ends_the_program_again_and_again_is_given_up_with_a_sentence(self):
        with self.context.database.session() as session:
            get_work(session, self.work_id).attempts = MOST_ATTEMPTS
        self.job("failed")
        take_up_lost_work(self.context)
        self.assertEqual((self.work().state, self.work().message), (WorkState.FAILED, GIVEN_UP))
        self.assertEqual((self.recording().media.state, self.recording().media.reason), (MediaState.FAILED, GIVEN_UP))

    def test_a_failed_listening_can_be_asked_for_again(self):
        with self.context.database.session() as session, self.assertRaisesRegex(NotNowError, "listened to already"):
            listen_again(self.context, session, self.recording_id)
        with self.context.database.session() as session:
            ask_to_stop(session, get_work(session, self.work_id))
        self.assertEqual(self.recording().media.state, MediaState.STOPPED)
        with self.context.database.session() as session:
            listen_again(self.context, session, self.recording_id)
        self.assertEqual(self.recording().media.state, MediaState.WAITING)
        with self.context.database.session() as session:
            self.assertEqual(len(open_works(session, self.recording().project_id)), 1)

    def test_a_stop_of_the_program_puts_work_back_as_if_it_had_not_begun(self):
        stopping = threading.Event()

        def do(project_id, recording_id, checkpoint):
            self.assertEqual(self.work().attempts, 1)
            stopping.set()
            checkpoint(0.5)
            self.fail("it went on")

        run_work(self.context, self.work_id, do, stopping=stopping)
        self.assertEqual((self.work().state, self.work().attempts), (WorkState.QUEUED, 0))

    def test_an_error_of_the_program_itself_ends_the_work_in_words(self):
        def do(project_id, recording_id, checkpoint):
            raise ZeroDivisionError

        with self.assertRaises(ZeroDivisionError):
            run_work(self.context, self.work_id, do)
        self.assertEqual(self.work().state, WorkState.FAILED)
        self.assertIn("the worker's log", self.recording().media.reason)
