"""What a run's model said of a picture, as columns of a table."""

from collections.abc import Mapping, Sequence
from typing import Any

__all__ = ["ANSWER_COLUMNS", "answer_row"]

# Name, what it holds, and how that is typed in the metadata.
ANSWER_COLUMNS = (
    ("run", "sc:Integer", "Number of the run whose model was asked; empty: it was not asked about this picture"),
    ("digest", "sc:Text", "Digest of the weights that answered"),
    ("judged_set", "sc:Text", "The set in which it was asked; outside: in none, unlabelled: it had no label"),
    ("true", "sc:Text", "The class that it was judged against; empty: it had none"),
    ("predicted", "sc:Text", "The class that it said"),
    ("p", "sc:Float", "Probability of that class"),
    ("runner_up", "sc:Text", "The next class"),
    ("runner_up_p", "sc:Float", "Probability of the next class"),
    ("loss", "sc:Float", "Cross-entropy of its answer; empty without a label"),
)


def answer_row(said: Mapping[str, Any] | None, classes: Sequence[Mapping[str, Any]]) -> list[object]:
    """The cells of an answer; empty ones for none.

    Parameters
    ----------
    said : mapping, optional
        With `run`, `digest`, `set_name`, `true_class`, `predicted_class`, `p`, `loss` and `probabilities`.
    classes : sequence of mappings
        Those of the model, with `id` and `name`, in the order of the probabilities.
    """
    if said is None:
        return [""] * len(ANSWER_COLUMNS)
    names = {entry["id"]: entry["name"] for entry in classes}
    ranked = sorted(range(len(classes)), key=lambda n: (-said["probabilities"][n], n))
    second = ranked[1] if len(ranked) > 1 else None
    return [
        said["run"],
        said["digest"] or "",
        said["set_name"],
        names.get(said["true_class"], ""),
        names.get(said["predicted_class"], ""),
        round(said["p"], 6),
        classes[second]["name"] if second is not None else "",
        round(said["probabilities"][second], 6) if second is not None else "",
        "" if said["loss"] is None else round(said["loss"], 6),
    ]
