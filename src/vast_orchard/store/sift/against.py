"""What the run on show reads otherwise than another one, as a condition of the Sift."""

from sqlalchemy import ColumnElement, and_, not_, select
from sqlalchemy.orm import aliased

from vast_orchard.store.schema import Model, Prediction, Run
from vast_orchard.store.sift.syntax import SiftError, Word
from vast_orchard.types import SetName

__all__ = ["against_run", "run_number"]


def run_number(word: Word) -> int:
    """The number that a word names.

    Raises
    ------
    SiftError
    """
    if not (word.text.isascii() and word.text.isdecimal() and len(word.text) <= 9):
        raise SiftError(f"{word.text} is not the number of a run.", "Take a number from the Ledger.", word.place)
    return int(word.text)


def against_run(field: str, word: Word, project_id: int) -> ColumnElement[bool]:
    """Right by the run on show and wrong by another (`mended`), or the other way (`broken`).

    Both are held against the label that the run on show was judged by, on validation pictures of both: neither has
    learnt from them, and nothing is told of a test set whose look was another run's.

    Raises
    ------
    SiftError
        The word is not the number of a run.
    """
    number = run_number(word)
    other, broken = aliased(Prediction), field == "broken"
    said = (
        select(other.picture_id)
        .join(Model, Model.id == other.model_id)
        .join(Run, Run.id == Model.run_id)
        .where(
            Run.project_id == project_id,
            Run.number == number,
            Run.deleted_at.is_(None),
            other.picture_id == Prediction.picture_id,
            other.set_name == SetName.VALIDATION.value,
            (other.predicted_class == Prediction.true_class) == broken,
        )
        .correlate(Prediction)
    )
    right = Prediction.predicted_class == Prediction.true_class
    return and_(
        Prediction.set_name == SetName.VALIDATION.value,
        Prediction.predicted_class.is_not(None),
        not_(right) if broken else right,
        said.exists(),
    )
