"""What the store hands out: plain, frozen values, a file a resource."""

from vast_orchard.store.values.areas import AreaCounts, AreaRulesValue, AreaRuleValue
from vast_orchard.store.values.history import ActionValue, UndoResult
from vast_orchard.store.values.imports import ArrivedPicture, ImportValue
from vast_orchard.store.values.ingredients import IngredientValue, SplitValue
from vast_orchard.store.values.models import (
    ExportValue,
    ModelValue,
    OutcomeValue,
    ProposalCount,
    SaidValue,
    StartingModel,
)
from vast_orchard.store.values.pictures import (
    AppearanceValue,
    BinnedPicture,
    ClassValue,
    CopiesValue,
    FieldRowValue,
    FullPicture,
    PictureDetail,
    PictureValue,
)
from vast_orchard.store.values.projects import (
    DiskUse,
    ProjectFiles,
    ProjectGlimpse,
    ProjectName,
    ProjectValue,
    ResultValue,
    SampleValue,
)
from vast_orchard.store.values.runs import (
    BinnedRun,
    EpochValue,
    Footing,
    JudgedPictureValue,
    LedgerPage,
    QueuedRun,
    RunGroupValue,
    RunHoldings,
    RunValue,
    SnapshotPictureValue,
    WatchedEpoch,
)
from vast_orchard.store.values.work import JobValue, ParcelValue

__all__ = [
    "ActionValue",
    "AppearanceValue",
    "AreaCounts",
    "AreaRuleValue",
    "AreaRulesValue",
    "ArrivedPicture",
    "BinnedPicture",
    "BinnedRun",
    "ClassValue",
    "CopiesValue",
    "DiskUse",
    "EpochValue",
    "ExportValue",
    "FieldRowValue",
    "Footing",
    "FullPicture",
    "ImportValue",
    "IngredientValue",
    "JobValue",
    "JudgedPictureValue",
    "LedgerPage",
    "ModelValue",
    "OutcomeValue",
    "ParcelValue",
    "PictureDetail",
    "PictureValue",
    "ProjectFiles",
    "ProjectGlimpse",
    "ProjectName",
    "ProjectValue",
    "ProposalCount",
    "QueuedRun",
    "ResultValue",
    "RunGroupValue",
    "RunHoldings",
    "RunValue",
    "SaidValue",
    "SampleValue",
    "SnapshotPictureValue",
    "SplitValue",
    "StartingModel",
    "UndoResult",
    "WatchedEpoch",
]
