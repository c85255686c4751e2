"""Make the demo's files once and bring them in, as a person would, through the program's own actions."""

from pathlib import Path

from gullywind.actions.projects.change_projects import change_project, create_project
from gullywind.actions.projects.change_recordings import add_recording
from gullywind.settings import Settings
from gullywind.store.files import IncomingFile
from gullywind.store.projects import list_projects

NAME = "The miller's talk"


def load_demo(folder: Path) -> None:
    """Load the demo project unless it is there; the first file is chosen as the reference."""
    context = Settings.from_environment().context()
    with context.database.session() as session:
        if any(project.name == NAME for project in list_projects(session)):
            return
    from material.talk import write_talk

    print("making the demo's recordings (half a minute) …", flush=True)
    paths = write_talk(folder)
    with context.database.session() as session:
        project = create_project(session, NAME, "25")
        rows = []
        for path in paths:
            incoming = IncomingFile(context.media)
            with path.open("rb") as file:
                while chunk := file.read(1 << 20):
                    incoming.write(chunk)
            rows.append(add_recording(context, session, project.id, path.name, incoming))
        change_project(context, session, project.id, project.version, reference_id=rows[0].id)
    context.database.dispose()
