"""Models of all projects that a training can start from."""

from collections.abc import Sequence

from sqlalchemy import or_, select, true
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Model, ModelKind, Project, Run
from vast_orchard.store.values import StartingModel

__all__ = ["list_starting_models"]


def list_starting_models(
    session: Session, project_id: int, limit: int = 500, *, plain: bool = False
) -> Sequence[StartingModel]:
    """Models of runs that have ended, those of the project first, then the newest; none that lies in the bin.

    Parameters
    ----------
    plain : bool
        Only of runs that stand in a Ledger, without those of plans.
    """
    rows = session.execute(
        select(
            Model.id,
            Model.classes,
            Model.preprocessing,
            Project.id.label("project_id"),
            Project.name.label("project"),
            Run.number,
            Run.name.label("run_name"),
            Run.recipe["network"]["name"].astext.label("network"),
            Run.figures["validation_accuracy"].as_float().label("accuracy"),
        )
        .join(Run, Run.id == Model.run_id)
        .join(Project, Project.id == Model.project_id)
        .where(
            Model.kind == ModelKind.RUN,
            Model.frozen_at.is_not(None),
            Model.path.is_not(None),
            or_(Run.group_id.is_(None), Run.listed) if plain else true(),
            Run.deleted_at.is_(None),
            Project.deleted_at.is_(None),
        )
        .order_by((Project.id == project_id).desc(), Model.id.desc())
        .limit(limit)
    )
    return [
        StartingModel(
            model_id=row.id,
            project_id=row.project_id,
            project=row.project,
            run_number=row.number,
            run_name=row.run_name,
            network=row.network,
            accuracy=row.accuracy,
            classes=[entry["name"] for entry in row.classes],
            input_size=row.preprocessing["size"],
            colour=row.preprocessing["colour"],
        )
        for row in rows
    ]
