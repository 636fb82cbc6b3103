"""Models on offer over HTTP, and whether they still answer as they did."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Path
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, ModelOf, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.offers import AgreementRead, OfferBack, OfferCreate, OfferRead, OfferUpdate
from vast_orchard.errors import ConflictError
from vast_orchard.store import offers, predictions
from vast_orchard.store.areas import areas_for
from vast_orchard.store.projects import get_project
from vast_orchard.store.values import OfferValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["offers"])

# Single precision in another order of summation, as another version or machine may have, is far below this.
_AGREES = 1e-5
_ASKED = 32


def _offer(session: SessionOf, offer_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> OfferValue:
    offer = offers.get_offer(session, offer_id)
    get_project(session, offer.project_id)  # of a project in the bin nothing is on offer
    return offer


OfferOf = Annotated[OfferValue, Depends(_offer)]


@router.get("/projects/{project_id}/offers", response_model=list[OfferRead])
def list_offers(session: SessionOf, project: ProjectOf) -> Sequence[OfferValue]:
    """The models on offer, by name, the newest version first."""
    return offers.list_offers(session, project.id)


@router.post("/models/{model_id}/offers", response_model=OfferRead, status_code=http.HTTP_201_CREATED)
def create_offer(session: SessionOf, model: ModelOf, body: OfferCreate) -> OfferValue:
    """Put a model on the list, as the next version of its name; it is being tried, and private, until it is in use."""
    return offers.offer_model(session, model, body.name, purpose=body.purpose, limits=body.limits, note=body.note)


@router.patch("/offers/{offer_id}", response_model=OfferRead)
def change_offer(session: SessionOf, offer: OfferOf, body: OfferUpdate) -> OfferValue:
    """Describe it otherwise, put it in use in place of the version that was, or put it away."""
    return offers.change_offer(session, offer.id, body.model_dump(exclude_unset=True))


@router.post("/projects/{project_id}/offers/back", response_model=OfferRead)
def go_back(session: SessionOf, project: ProjectOf, body: OfferBack) -> OfferValue:
    """Use the version of a name again that was in use before."""
    return offers.go_back(session, project.id, body.name)


@router.post("/models/{model_id}/agreement", response_model=AgreementRead)
def agreement(session: SessionOf, model: ModelOf, parts: PartsOf) -> dict[str, Any]:
    """Have the model answer stored validation pictures again, beside what it answered when it was judged."""
    known = predictions.stored_answers(session, model, "validation", _ASKED)
    if not known:
        raise ConflictError(
            f"Nothing is stored of what the model of run {model.run_number} answered on validation.",
            "Judge it in Review.",
        )
    areas = areas_for(session, model.project_id, [answer.picture_id for answer in known], model)
    session.commit()  # the connection is free while it answers
    again: list[list[float]] = parts.quick.run(
        "answers_again",
        model_path=model.weights_path,
        pictures=[(answer.sha256, areas.get(answer.picture_id)) for answer in known],
    )
    off = max(
        abs(one - other)
        for answer, said in zip(known, again, strict=True)
        for one, other in zip(answer.probabilities, said, strict=True)
    )
    changed = sum(
        said.index(max(said)) != answer.probabilities.index(max(answer.probabilities))
        for answer, said in zip(known, again, strict=True)
    )
    return {
        "pictures": len(known),
        "max_abs_difference": off,
        "changed": changed,
        "agrees": off <= _AGREES,
        "digest": model.digest,
    }
