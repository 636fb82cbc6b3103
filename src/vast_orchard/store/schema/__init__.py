"""The records as tables. ORM rows stay inside `store`; what leaves it are plain values."""

from vast_orchard.store.schema.base import Base
from vast_orchard.store.schema.collection import (
    Appearance,
    Class,
    Import,
    ImportState,
    Picture,
    PicturePrint,
    PictureTile,
    Project,
)
from vast_orchard.store.schema.trained import (
    Checkpoint,
    Epoch,
    Export,
    Ingredient,
    IngredientKind,
    Look,
    Prediction,
    Run,
    RunPicture,
    Split,
    SplitMember,
)
from vast_orchard.store.schema.work import Action, ActionChange, Job, JobKind, JobState, Parcel

__all__ = [
    "Action",
    "ActionChange",
    "Appearance",
    "Base",
    "Checkpoint",
    "Class",
    "Epoch",
    "Export",
    "Import",
    "ImportState",
    "Ingredient",
    "IngredientKind",
    "Job",
    "JobKind",
    "JobState",
    "Look",
    "Parcel",
    "Picture",
    "PicturePrint",
    "PictureTile",
    "Prediction",
    "Project",
    "Run",
    "RunPicture",
    "Split",
    "SplitMember",
]
