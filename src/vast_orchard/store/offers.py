"""Models on offer: put on the list under a name, in versions of which one is in use, and put away again."""

from collections.abc import Mapping, Sequence

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.models import get_model, judgement_of
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Model, Offer, OfferState, Project, Run
from vast_orchard.store.values import ModelValue, OfferValue

__all__ = ["change_offer", "get_offer", "go_back", "in_use", "list_offers", "offer_model"]


def _value(session: Session, row: Offer) -> OfferValue:
    model = get_model(session, row.model_id)
    scores = judgement_of(session, model.id, "validation")
    return OfferValue(
        id=row.id,
        project_id=row.project_id,
        model_id=row.model_id,
        name=row.name,
        version=row.version,
        digest=row.digest,
        purpose=row.purpose,
        limits=row.limits,
        note=row.note,
        state=row.state,
        created_at=row.created_at,
        used_at=row.used_at,
        run_id=model.run_id,
        run_number=model.run_number,
        classes=[entry["name"] for entry in model.classes],
        preprocessing=model.preprocessing,
        validation={key: scores[key] for key in ("accuracy", "accuracy_interval", "count")} if scores else None,
        looks=model.looks,
    )


def _row(session: Session, offer_id: int) -> Offer:
    row = session.get(Offer, offer_id)
    if row is None:
        raise MissingError(f"There is no model {offer_id} on offer.", "Look at the list again.")
    return row


def get_offer(session: Session, offer_id: int) -> OfferValue:
    """One of the list.

    Raises
    ------
    MissingError
    """
    return _value(session, _row(session, offer_id))


def list_offers(session: Session, project_id: int) -> Sequence[OfferValue]:
    """By name, the newest version first; models of runs in the bin are not on offer."""
    rows = session.scalars(
        select(Offer)
        .join(Model, Model.id == Offer.model_id)
        .outerjoin(Run, Run.id == Model.run_id)
        .where(Offer.project_id == project_id, Run.deleted_at.is_(None))
        .order_by(func.lower(Offer.name), Offer.version.desc())
    )
    return [_value(session, row) for row in rows]


def in_use(session: Session, run_id: int) -> Sequence[str]:
    """Names under which a run's model is in use."""
    rows = session.execute(
        select(Offer.name, Offer.version)
        .join(Model, Model.id == Offer.model_id)
        .where(Model.run_id == run_id, Offer.state == OfferState.IN_USE.value)
    )
    return [f"{name}, version {version}" for name, version in rows]


def offer_model(
    session: Session, model: ModelValue, name: str, *, purpose: str = "", limits: str = "", note: str = ""
) -> OfferValue:
    """Put a model on the list, as the next version of its name; it is being tried then, and not in use.

    Raises
    ------
    ConflictError
        Its run goes on, so that another state may take its place; this very state is on offer under this name; or it
        has no weights to answer by.
    InputError
        The name is empty or too long.
    """
    if not model.frozen:
        raise ConflictError(f"Run {model.run_number} goes on.", "Wait until it has ended, or stop it.")
    model.check_weights()
    name = checked_name(name, "model")
    session.get_one(Project, model.project_id, with_for_update=True)
    of_name = (Offer.project_id == model.project_id, func.lower(Offer.name) == name.lower())
    same = session.scalars(select(Offer).where(*of_name, Offer.model_id == model.id)).first()
    if same is not None:
        raise ConflictError(
            f"The model of run {model.run_number} is {same.name}, version {same.version}, already.",
            "Give it another name.",
        )
    newest = session.scalars(select(Offer).where(*of_name).order_by(Offer.version.desc()).limit(1)).first()
    row = Offer(
        project_id=model.project_id,
        model_id=model.id,
        name=newest.name if newest else name,
        version=newest.version + 1 if newest else 1,
        digest=model.digest,
        purpose=purpose.strip(),
        limits=limits.strip(),
        note=note.strip(),
        state=OfferState.TRIED.value,
    )
    session.add(row)
    session.flush()
    tell(session, "offers", model.project_id)
    return _value(session, row)


def change_offer(session: Session, offer_id: int, changes: Mapping[str, str]) -> OfferValue:
    """Describe a model on offer otherwise, or change its state.

    Parameters
    ----------
    changes : mapping
        `purpose`, `limits`, `note` : str; `state` : {"tried", "in_use", "put_away"}. What comes into use takes the
        place of the version that was, which is put away.

    Raises
    ------
    MissingError
    """
    row = _row(session, offer_id)
    session.get_one(Project, row.project_id, with_for_update=True)
    for fact in ("purpose", "limits", "note"):
        if fact in changes:
            setattr(row, fact, changes[fact].strip())
    if changes.get("state") == OfferState.IN_USE:
        _use(session, row)
    elif "state" in changes:
        row.state = changes["state"]
    session.flush()
    tell(session, "offers", row.project_id)
    return _value(session, row)


def _use(session: Session, row: Offer) -> None:
    session.execute(
        update(Offer)
        .where(
            Offer.project_id == row.project_id,
            func.lower(Offer.name) == row.name.lower(),
            Offer.state == OfferState.IN_USE.value,
            Offer.id != row.id,
        )
        .values(state=OfferState.PUT_AWAY.value)
    )
    # By the clock and not by the transaction's beginning: two that follow each other at once keep their order.
    row.state, row.used_at = OfferState.IN_USE.value, session.scalar(select(func.clock_timestamp()))


def go_back(session: Session, project_id: int, name: str) -> OfferValue:
    """Use the version of a name again that was in use before the present one, which is put away.

    Raises
    ------
    ConflictError
        None was in use before.
    """
    session.get_one(Project, project_id, with_for_update=True)
    of_name = (Offer.project_id == project_id, func.lower(Offer.name) == name.strip().lower())
    former = session.scalars(
        select(Offer)
        .join(Model, Model.id == Offer.model_id)
        .outerjoin(Run, Run.id == Model.run_id)
        .where(*of_name, Offer.state != OfferState.IN_USE.value, Offer.used_at.is_not(None), Run.deleted_at.is_(None))
        .order_by(Offer.used_at.desc())
        .limit(1)
    ).first()
    if former is None:
        raise ConflictError(f"No other version of {name} was in use before.", "Choose one from the list.")
    _use(session, former)
    session.flush()
    tell(session, "offers", project_id)
    return _value(session, former)
