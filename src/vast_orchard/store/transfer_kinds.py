"""Which tables hold a project's records, and how their rows name each other."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, Table

from vast_orchard.store.schema import (
    Action,
    ActionChange,
    Appearance,
    AreaRules,
    Base,
    Class,
    Epoch,
    Export,
    Import,
    Ingredient,
    Job,
    JobKind,
    JobState,
    Judgement,
    Look,
    Model,
    Offer,
    Picture,
    PictureMeasure,
    PicturePrint,
    Prediction,
    Run,
    RunGroup,
    Snapshot,
    SnapshotPicture,
    Split,
    SplitMember,
    WorkingArea,
)

__all__ = ["OF_RUNS", "RECORDS", "RecordKind"]


@dataclass(frozen=True, kw_only=True)
class RecordKind:
    """One table of a project's records."""

    table: type[Base]
    belongs: Callable[[Select[Any], int], Select[Any]]  # keeps the rows of one project
    names: Mapping[str, str]  # column to the table whose id it holds

    @property
    def sql(self) -> Table:
        """The table as statements name it."""
        found = self.table.__table__
        assert isinstance(found, Table)
        return found


def _of_project(table: type[Any]) -> Callable[[Select[Any], int], Select[Any]]:
    return lambda query, project: query.where(table.project_id == project)


def _through(column_: Any, parent: type[Any]) -> Callable[[Select[Any], int], Select[Any]]:
    return lambda query, project: query.join(parent, parent.id == column_).where(parent.project_id == project)


def _ended_work(query: Select[Any], project: int) -> Select[Any]:
    # How runs and exports ended stands in their jobs.
    kept = Job.kind.in_([JobKind.TRAIN, JobKind.EXPORT]) & Job.state.not_in([JobState.WAITING, JobState.RUNNING])
    return query.where(Job.project_id == project, kept)


def _over(query: Select[Any], project: int) -> Select[Any]:
    return query.where(Import.project_id == project, Import.report.is_not(None))


# In an order in which each row finds what it names. `job` comes last: its subject is of a kind that its row tells.
RECORDS: Mapping[str, RecordKind] = {
    kind.table.__tablename__: kind
    for kind in (
        RecordKind(table=Class, belongs=_of_project(Class), names={"project_id": "project"}),
        RecordKind(table=WorkingArea, belongs=_of_project(WorkingArea), names={"project_id": "project"}),
        RecordKind(
            table=AreaRules,
            belongs=_of_project(AreaRules),
            names={"project_id": "project", "fresh_id": "working_area"},
        ),
        RecordKind(table=Import, belongs=_over, names={"project_id": "project"}),
        RecordKind(
            table=Picture,
            belongs=_of_project(Picture),
            names={"project_id": "project", "class_id": "class", "import_id": "import", "area_id": "working_area"},
        ),
        RecordKind(
            table=PicturePrint,
            belongs=_through(PicturePrint.picture_id, Picture),
            names={"picture_id": "picture"},
        ),
        RecordKind(
            table=PictureMeasure,
            belongs=_through(PictureMeasure.picture_id, Picture),
            names={"picture_id": "picture"},
        ),
        RecordKind(
            table=Appearance,
            belongs=_through(Appearance.picture_id, Picture),
            names={"picture_id": "picture", "import_id": "import"},
        ),
        RecordKind(table=Split, belongs=_of_project(Split), names={"project_id": "project"}),
        RecordKind(table=Action, belongs=_of_project(Action), names={"project_id": "project", "undoes": "action"}),
        RecordKind(
            table=ActionChange,
            belongs=_through(ActionChange.action_id, Action),
            names={"action_id": "action", "picture_id": "picture"},
        ),
        RecordKind(
            table=SplitMember,
            belongs=_through(SplitMember.split_id, Split),
            names={"split_id": "split", "picture_id": "picture"},
        ),
        RecordKind(table=Ingredient, belongs=_of_project(Ingredient), names={"project_id": "project"}),
        RecordKind(table=Snapshot, belongs=_of_project(Snapshot), names={"project_id": "project"}),
        RecordKind(
            table=SnapshotPicture,
            belongs=_through(SnapshotPicture.snapshot_id, Snapshot),
            names={
                "snapshot_id": "snapshot", "picture_id": "picture", "class_id": "class", "area_id": "working_area",
            },
        ),
        RecordKind(
            table=RunGroup,
            belongs=_of_project(RunGroup),
            names={"project_id": "project", "snapshot_id": "snapshot", "split_id": "split"},
        ),
        RecordKind(
            table=Run,
            belongs=_of_project(Run),
            names={
                "project_id": "project", "group_id": "run_group", "snapshot_id": "snapshot", "split_id": "split",
                "variation_id": "ingredient", "preprocessing_id": "ingredient", "network_id": "ingredient",
            },
        ),
        RecordKind(table=Epoch, belongs=_through(Epoch.run_id, Run), names={"run_id": "run"}),
        RecordKind(table=Model, belongs=_of_project(Model), names={"project_id": "project", "run_id": "run"}),
        RecordKind(table=Judgement, belongs=_through(Judgement.model_id, Model), names={"model_id": "model"}),
        RecordKind(
            table=Prediction,
            belongs=_through(Prediction.model_id, Model),
            names={
                "model_id": "model", "picture_id": "picture", "true_class": "class", "predicted_class": "class",
                "runner_up": "class",
            },
        ),
        RecordKind(table=Look, belongs=_of_project(Look), names={"project_id": "project", "model_id": "model"}),
        RecordKind(table=Export, belongs=_of_project(Export), names={"project_id": "project", "model_id": "model"}),
        RecordKind(table=Offer, belongs=_of_project(Offer), names={"project_id": "project", "model_id": "model"}),
        RecordKind(table=Job, belongs=_ended_work, names={"project_id": "project"}),
    )
}  # fmt: skip


# Tables of runs and what hangs on them.
OF_RUNS = frozenset({
    "run_group", "snapshot", "snapshot_picture", "run", "epoch", "model", "judgement", "prediction", "look", "export",
    "offer", "job",
})  # fmt: skip
