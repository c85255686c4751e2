"""Deliveries and reports."""

from uuid import UUID

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse, HTMLResponse

from gullywind.actions.deliver.deliver_picture import request_picture
from gullywind.actions.deliver.report import report_csv, report_rows
from gullywind.actions.deliver.report_page import report_page
from gullywind.actions.deliver.write_delivery import delivered_file, request_delivery
from gullywind.api.deps import ContextDep, SessionDep
from gullywind.api.models.projects import DeliverIn, DeliveryOut, PictureIn
from gullywind.store.works import find_work, get_delivery, list_deliveries

router = APIRouter(tags=["deliveries"])


@router.post("/projects/{project_id}/deliveries", status_code=202)
def post_delivery(project_id: UUID, body: DeliverIn, context: ContextDep, session: SessionDep) -> DeliveryOut:
    """Queue the writing of one aligned file, or of several as a ZIP with the report."""
    return DeliveryOut.of(request_delivery(context, session, project_id, body.recording_ids, body.form))


@router.post("/projects/{project_id}/pictures", status_code=202)
def post_picture(project_id: UUID, body: PictureIn, context: ContextDep, session: SessionDep) -> DeliveryOut:
    """Queue the writing of a recording's picture with another one's sound; the picture is copied as it is."""
    asked = body.recording_id, body.sounds_from
    return DeliveryOut.of(request_picture(context, session, project_id, *asked, instead=body.instead))


@router.get("/projects/{project_id}/deliveries")
def get_deliveries(project_id: UUID, session: SessionDep) -> list[DeliveryOut]:
    """What was asked for, newest first."""
    rows = []
    for row in list_deliveries(session, project_id):
        work = find_work(session, row.work_id)
        rows.append(DeliveryOut.of(row, work.message if work else None))
    return rows


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def get_delivery_file(delivery_id: UUID, context: ContextDep, session: SessionDep) -> FileResponse:
    """The finished file."""
    path = delivered_file(context, get_delivery(session, delivery_id))
    return FileResponse(path, filename=path.name)


@router.get("/projects/{project_id}/report.csv", response_class=Response)
def get_report_csv(project_id: UUID, session: SessionDep) -> Response:
    """Offsets, confidence and residuals as CSV."""
    headers = {"Content-Disposition": 'attachment; filename="report.csv"'}
    return Response(report_csv(report_rows(session, project_id)), media_type="text/csv", headers=headers)


@router.get("/projects/{project_id}/report.json")
def get_report_json(project_id: UUID, session: SessionDep) -> list[dict[str, object]]:
    """The same as JSON."""
    return report_rows(session, project_id)


@router.get("/projects/{project_id}/report.html", response_class=HTMLResponse)
def get_report_page(project_id: UUID, session: SessionDep) -> HTMLResponse:
    """The same as a page to print, with the traces as pictures."""
    return HTMLResponse(report_page(session, project_id))
