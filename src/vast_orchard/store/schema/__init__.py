"""The records as tables. ORM rows stay inside `store`; what leaves it are plain values."""

from vast_orchard.store.schema.areas import AreaRules, WorkingArea
from vast_orchard.store.schema.base import Base
from vast_orchard.store.schema.collection import (
    Appearance,
    Class,
    Import,
    ImportState,
    Picture,
    PictureMeasure,
    PicturePrint,
    PictureTile,
    Project,
)
from vast_orchard.store.schema.findings import Finding, FindingKind, FindingReport
from vast_orchard.store.schema.ingredients import Ingredient, IngredientKind, Split, SplitMember
from vast_orchard.store.schema.models import (
    Export,
    Judgement,
    Look,
    Model,
    ModelKind,
    Offer,
    OfferState,
    Prediction,
)
from vast_orchard.store.schema.runs import (
    Epoch,
    GroupKind,
    PlanEnding,
    PlanState,
    Run,
    RunEnding,
    RunGroup,
    RunState,
    Snapshot,
    SnapshotPicture,
)
from vast_orchard.store.schema.serving import Token
from vast_orchard.store.schema.work import Action, ActionChange, Job, JobKind, JobState, Parcel

__all__ = [
    "Action",
    "ActionChange",
    "Appearance",
    "AreaRules",
    "Base",
    "Class",
    "Epoch",
    "Export",
    "Finding",
    "FindingKind",
    "FindingReport",
    "GroupKind",
    "Import",
    "ImportState",
    "Ingredient",
    "IngredientKind",
    "Job",
    "JobKind",
    "JobState",
    "Judgement",
    "Look",
    "Model",
    "ModelKind",
    "Offer",
    "OfferState",
    "Parcel",
    "Picture",
    "PictureMeasure",
    "PicturePrint",
    "PictureTile",
    "PlanEnding",
    "PlanState",
    "Prediction",
    "Project",
    "Run",
    "RunEnding",
    "RunGroup",
    "RunState",
    "Snapshot",
    "SnapshotPicture",
    "Split",
    "SplitMember",
    "Token",
    "WorkingArea",
]
