"""Network files from outside, over HTTP: looked at, then brought in as the model of a run."""

from typing import Any

from fastapi import APIRouter
from fastapi import status as http
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import Parts, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.network_files import NetworkFileCreate, NetworkFileRead
from vast_orchard.api.schemas.runs import RunRead
from vast_orchard.api.uploads import waiting_upload
from vast_orchard.errors import ConflictError, InputError
from vast_orchard.jobs.bringing_in.network import bring_in_network
from vast_orchard.store.pictures import sample_pictures
from vast_orchard.store.values import RunValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["runs"])

_COMPARED = 32


@router.post("/projects/{project_id}/network-file-looks", response_model=NetworkFileRead)
def look(session: SessionOf, parts: PartsOf, project: ProjectOf, body: NetworkFileCreate) -> dict[str, Any]:
    """What a network file is, what it lacks, and whether it answers as its own graph does; nothing is stored."""
    return _looked(session, parts, project.id, body, whole=False)


@router.post("/projects/{project_id}/network-files", response_model=RunRead, status_code=http.HTTP_201_CREATED)
def bring_in(session: SessionOf, parts: PartsOf, project: ProjectOf, body: NetworkFileCreate) -> RunValue:
    """Bring a network file in, as the model of a run that was no training."""
    found = _looked(session, parts, project.id, body, whole=True)
    if found["refused"]:
        first = found["refused"][0]
        raise InputError(
            f"{found['name']} cannot be taken: {first['operator']} ({first['node']}) {first['why']}.",
            f"It is one of {len(found['refused'])}; export the network without them.",
        )
    if "model" not in found:
        raise ConflictError(f"{found['name']} has {found['outputs']} outputs.", "Name a class for each.")
    return bring_in_network(session, parts.store, project.id, found)


def _looked(session: Session, parts: Parts, project_id: int, body: NetworkFileCreate, *, whole: bool) -> dict[str, Any]:
    sent = [entry for entry in waiting_upload(session, parts, body.upload).iterdir() if entry.is_file()]
    if len(sent) != 1:
        raise InputError(f"{len(sent)} files were sent.", "Send the one network file.")
    pictures = [picture.sha256 for picture in sample_pictures(session, project_id, _COMPARED)]
    session.commit()  # the connection is free while the file is looked at
    found: dict[str, Any] = parts.quick.run(
        "network_file", path=str(sent[0]), name=sent[0].name, answers=body.answers.model_dump(), pictures=pictures,
        whole=whole,
    )  # fmt: skip
    return found
