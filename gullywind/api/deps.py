"""What routes are given: the application's parts and a session that commits before the reply."""

from collections.abc import Iterator
from typing import Annotated, cast

from fastapi import Depends, Request

from gullywind.actions.context import Context
from gullywind.store.database import Session


def get_context(request: Request) -> Context:
    """The application's parts."""
    return cast(Context, request.app.state.context)


ContextDep = Annotated[Context, Depends(get_context)]


def get_session(context: ContextDep) -> Iterator[Session]:
    """A session; commits when the route has returned, before the reply is sent."""
    with context.database.session() as session:
        yield session


# scope="function": by default FastAPI replies first and commits after.
SessionDep = Annotated[Session, Depends(get_session, scope="function")]
