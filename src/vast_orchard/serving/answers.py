"""What is answered about a picture, on the wire."""

from typing import Any

from pydantic import BaseModel, Field

from vast_orchard.serving.answering import Answered
from vast_orchard.store.values.serving import ServedValue

__all__ = ["PredictAnswer", "PredictAnswers", "RunnerUp", "answer_of"]


class RunnerUp(BaseModel):
    """The class that is next."""

    answer: str
    p: float


class PredictAnswer(BaseModel):
    """What a model says of one picture."""

    file: str
    error: str | None = Field(description="Why the picture cannot be answered about; the rest is empty then.")
    answer: str | None = Field(description="The likeliest class.")
    p: float | None
    unsure: bool | None = Field(description="Its probability is below the threshold that was set for the class.")
    runner_up: RunnerUp | None
    probabilities: dict[str, float]
    kept: list[float] | None = Field(description="Left, top, right and bottom of what counted, in fractions.")


class PredictAnswers(BaseModel):
    """What a model says, and which one it was."""

    model: str
    version: int
    digest: str | None = Field(description="SHA-256 of the weights.")
    answers: list[PredictAnswer]
    seconds: float


def answer_of(served: ServedValue, file: str, found: Answered) -> dict[str, Any]:
    """What is told of one picture."""
    if found.probabilities is None:
        why = f"{found.wrong.what} {found.wrong.mend}".strip() if found.wrong else "It was not answered."
        return {
            "file": file, "error": why, "answer": None, "p": None, "unsure": None, "runner_up": None,
            "probabilities": {}, "kept": None,
        }  # fmt: skip
    said = dict(zip(served.classes, found.probabilities.tolist(), strict=True))
    first, second = sorted(said, key=lambda name: -said[name])[:2]
    below = served.unsure_below[served.classes.index(first)] if served.unsure_below else 0.0
    return {
        "file": file,
        "error": None,
        "answer": first,
        "p": said[first],
        "unsure": below is None or said[first] < below,
        "runner_up": {"answer": second, "p": said[second]},
        "probabilities": said,
        "kept": list(found.kept),
    }
