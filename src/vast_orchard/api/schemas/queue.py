"""What goes over the wire of the queue of trainings."""

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Write
from vast_orchard.store.training_queue import Move

__all__ = ["QueueMove", "QueuedRunRead"]


class QueueMove(Write):
    """What to do with a run that waits."""

    move: Move = Field(description="`next` lets what trains now wait again after its epoch.")


class QueuedRunRead(BaseModel):
    """A run that trains or waits for its turn."""

    run_id: int
    job_id: int
    number: int
    name: str
    project_id: int
    project_name: str
    training: bool
    held: bool
    pausing: bool = Field(description="It trains, and waits again after its epoch.")
    epochs_done: int
    epochs: int
    begins_s: float | None = Field(description="Expected seconds from now; null where that cannot be told.")
    ends_s: float | None = Field(description="Expected seconds from now.")
