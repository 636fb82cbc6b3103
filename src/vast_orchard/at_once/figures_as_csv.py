"""The figures of a run's epochs as a table to take away."""

from sqlalchemy.orm import Session

from vast_orchard.formats.epoch_table import epoch_table
from vast_orchard.store.runs import list_epochs
from vast_orchard.store.values import RunValue

__all__ = ["figures_as_csv"]


def figures_as_csv(session: Session, run: RunValue) -> str:
    """CSV of all epochs so far, with the recall of every class."""
    epochs = [(entry.number, entry.figures, entry.recalls) for entry in list_epochs(session, run.id)]
    return epoch_table(epochs, [entry["name"] for entry in run.classes])
