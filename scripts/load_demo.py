"""Make the demo's files once and bring them in, as a person would, through the program's own actions."""

from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from gullywind.actions.context import Context
from gullywind.actions.projects.change_projects import change_project, create_project
from gullywind.actions.projects.change_recordings import add_recording
from gullywind.settings import Settings
from gullywind.store.files import IncomingFile
from gullywind.store.projects import list_projects

#: The first is the one that most is to be seen of.
NAME, SONG_NAME = "The miller's talk", "The wheel song"
VOICES_NAME, DULCIMER_NAME, LINES_NAME = "The wheel song: voices", "The wheel song: dulcimer", "Lines again"


def load_demo(folder: Path) -> None:
    """Load the demo's projects unless they are there; of each the first file is chosen as the reference."""
    context = Settings.from_environment().context()
    with context.database.session() as session:
        known = {project.name for project in list_projects(session)}
    from material.doubles import write_dulcimer, write_lines, write_voices
    from material.talk import write_talk
    from material.wheel_song import write_song

    print("making the demo's recordings (a minute or two) …", flush=True)
    # Newest first in the list: the talk comes last.
    projects = (
        (LINES_NAME, write_lines),
        (DULCIMER_NAME, write_dulcimer),
        (VOICES_NAME, write_voices),
        (SONG_NAME, write_song),
        (NAME, write_talk),
    )
    missing = [(name, write) for name, write in projects if name not in known]
    with ProcessPoolExecutor(2) as pool:
        made = [(name, pool.submit(write, folder)) for name, write in missing]
        for name, paths in made:
            _load(context, name, paths.result())
    context.database.dispose()


def _load(context: Context, name: str, paths: list[Path]) -> None:
    with context.database.session() as session:
        project = create_project(session, name, "25")
        rows = []
        for path in paths:
            incoming = IncomingFile(context.media)
            with path.open("rb") as file:
                while chunk := file.read(1 << 20):
                    incoming.write(chunk)
            rows.append(add_recording(context, session, project.id, path.name, incoming))
        change_project(context, session, project.id, project.version, reference_id=rows[0].id)
