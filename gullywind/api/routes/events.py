"""Changes pushed to the page: server-sent events, fed by PostgreSQL's NOTIFY."""

import asyncio
from collections.abc import AsyncIterator
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from gullywind.store.changes import ChangeFeed

router = APIRouter(tags=["events"])
#: A comment now and then shows a closed page, and keeps proxies from hanging up.
QUIET_S = 15.0
#: Still at once to a person; a batch of 72 makes ten a second.
LEAST_APART_S = 0.4


@router.get("/projects/{project_id}/events", response_class=StreamingResponse)
async def project_events(project_id: UUID, request: Request) -> StreamingResponse:
    """A stream with an event `changed` whenever the project changed; the page then asks anew."""
    feed: ChangeFeed = request.app.state.feed

    async def events() -> AsyncIterator[str]:
        with feed.watch(str(project_id)) as changed:
            yield "event: changed\ndata: {}\n\n"
            while not feed.closing.is_set():
                try:
                    await asyncio.wait_for(changed.wait(), QUIET_S)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                changed.clear()
                yield "event: changed\ndata: {}\n\n"
                # Many changes in a row, as in a batch, are one to the page.
                await asyncio.sleep(LEAST_APART_S)

    return StreamingResponse(events(), media_type="text/event-stream", headers={"Cache-Control": "no-store"})
