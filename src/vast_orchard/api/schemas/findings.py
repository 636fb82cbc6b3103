"""What goes over the wire of findings."""

import datetime as dt

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import PictureId, Write

__all__ = [
    "AnswersRead",
    "FactDismiss",
    "FindingLineRead",
    "FindingsDismiss",
    "FindingsPutRight",
    "FindingsRead",
    "FoldsAskedRead",
    "HistogramRead",
    "LabelDoubtRead",
    "NearRead",
    "PictureFindingRead",
]


class AnswersRead(BaseModel):
    """Whose answers labels were held against."""

    run: int = Field(description="Its number.")
    run_id: int
    folds: bool = Field(description="Each picture's answer is by the fold that had not learnt from it.")
    answers: int


class FindingLineRead(BaseModel):
    """One kind of finding."""

    name: str
    title: str
    effect: str = Field(description="What it does to a result.")
    mend: str = Field(description="What to do.")
    detail: str = Field(description="The numbers of what is no matter of single pictures.")
    count: int = Field(description="To be settled.")
    expected: float | None = Field(description="As many chance gives; null where nothing is drawn.")
    dismissed: int = Field(description="Pictures of which somebody said that it is no fault.")
    of_pictures: bool = Field(description="It is settled picture by picture.")
    hidden: bool = Field(description="Somebody said of the whole that it is no fault.")
    sift: str | None
    measure: str | None = Field(description="By which it was found, as a Sift names it.")


class FoldsAskedRead(BaseModel):
    """What it costs to hold every label against answers of folds."""

    network: str
    trainings: int
    epochs: int
    seconds: float | None = Field(description="Null where the pace of this machine is not known yet.")
    plan_id: int | None = Field(description="Of such folds under way.")


class FindingsRead(BaseModel):
    """Everything that turned up, in the order of what it costs."""

    looked_at: dt.datetime | None = Field(description="Null: nobody has looked yet.")
    pictures: int
    answers: AnswersRead | None
    lines: list[FindingLineRead]
    folds: FoldsAskedRead


class FindingsDismiss(Write):
    """Pictures of which somebody says that they have no such fault; all that wait, if none is named."""

    kind: str = Field(max_length=10)
    picture_ids: list[PictureId] | None = Field(None, min_length=1, max_length=200_000)


class FindingsPutRight(Write):
    """Pictures that get the class which they probably are of; all that wait, if none is named."""

    picture_ids: list[PictureId] | None = Field(None, min_length=1, max_length=200_000)


class FactDismiss(Write):
    """What is no matter of single pictures: no fault, or one after all."""

    name: str = Field(min_length=1, max_length=80)
    hidden: bool


class NearRead(BaseModel):
    """A picture that looks like another one."""

    picture_id: int
    sha256: str


class LabelDoubtRead(BaseModel):
    """A label beside what answers say."""

    class_id: int
    proposal: int
    p_label: float
    p_proposal: float
    of_label: list[NearRead] = Field(description="The most alike under its label.")
    of_proposal: list[NearRead] = Field(description="The most alike of the class that is proposed.")


class PictureFindingRead(BaseModel):
    """What waits to be settled of one picture."""

    kind: str
    title: str
    weight: float
    doubt: LabelDoubtRead | None = Field(description="Of its label, where that is doubted.")


class HistogramRead(BaseModel):
    """How a measure is distributed over the project's pictures."""

    measure: str
    bounds: list[float] = Field(description="One more than there are bars.")
    counts: list[int]
    named: list[int] = Field(description="Of these, named by the finding that goes by the measure.")
