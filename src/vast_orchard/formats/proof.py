"""The proof of what is handed over: its own program in a fresh process, on picture files, beside the application."""

import json
import statistics
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.errors import ProofError

__all__ = ["LEAST_PROOF_PICTURES", "TOLERANCE", "Proof", "ProofPicture", "compared", "program_answers"]

# Two float32 implementations that sum in different orders differ by about 1e-6 here; a wrong step by far more.
TOLERANCE = 1e-4
LEAST_PROOF_PICTURES = 32
_LIMIT_S = 300
_NOTHING = "Nothing is offered for download."


@dataclass(frozen=True, kw_only=True)
class ProofPicture:
    """A picture file that both answer."""

    ending: str  # ".jpg"
    data: bytes
    label: int | None = None  # place of its class; None: not known


@dataclass(frozen=True, kw_only=True)
class Proof:
    """What the form's program answered, beside what the application answers."""

    form: str
    pictures: int
    max_abs_difference: float  # of any probability of any picture
    tolerance: float | None  # None: answers may differ, and it is told how many do
    changed: int  # pictures that are answered otherwise
    runtime: str
    pictures_per_s: float  # of this machine, one after the other, from file to answer
    # Of the pictures whose class is known: how many, and the shares that the form and the model answer rightly.
    labelled: int
    accuracy: float | None
    model_accuracy: float | None


def program_answers(
    command: Sequence[str], folder: Path, pictures: Sequence[ProofPicture], classes: Sequence[str]
) -> tuple[FloatArray, float]:
    """Probabilities (N, classes) that a program prints as JSON, a line a picture, and its seconds for one.

    Raises
    ------
    ProofError
        It fails, takes too long, or answers for other pictures.
    """
    paths = []
    for number, picture in enumerate(pictures):
        paths.append(folder / f"picture-{number:05d}{picture.ending}")
        paths[-1].write_bytes(picture.data)
    try:
        asked = [*command, "--json", *map(str, paths)]
        done = subprocess.run(asked, capture_output=True, text=True, timeout=_LIMIT_S, check=True)
    except subprocess.CalledProcessError as error:
        last = (error.stderr or "").strip().splitlines()[-1:]
        raise ProofError(f"The export's program failed: {' '.join(last)}", _NOTHING) from error
    except subprocess.TimeoutExpired as error:
        raise ProofError(f"The export's program took over {_LIMIT_S} s.", "Try again when less runs.") from error
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    if len(lines) != len(pictures):
        raise ProofError(f"The export answered for {len(lines)} of {len(pictures)} pictures.", _NOTHING)
    answers = np.array([[line["probabilities"][name] for name in classes] for line in lines], np.float32)
    return answers, statistics.median(line["seconds"] for line in lines)


def compared(
    form: str,
    ours: FloatArray,
    theirs: FloatArray,
    seconds: float,
    labels: Sequence[int | None],
    *,
    runtime: str,
    tolerance: float | None = TOLERANCE,
) -> Proof:
    """The proof, where the answers agree.

    Parameters
    ----------
    ours, theirs : ndarray, shape (N, K), float32
    labels : sequence of int or None
        Of the N pictures.
    tolerance : float, optional
        None: any difference is told and none refused.

    Raises
    ------
    ProofError
        An answer differs by more than is allowed.
    """
    difference = float(np.abs(theirs - ours).max())
    if tolerance is not None and not difference <= tolerance:
        raise ProofError(
            f"The export's answers differ by up to {difference:.2g} from the application's.",
            f"At most {tolerance:g} is allowed, so nothing is offered for download.",
        )
    known = [place for place, label in enumerate(labels) if label is not None]
    truth = np.array([labels[place] for place in known])
    said, modelled = theirs.argmax(axis=1), ours.argmax(axis=1)
    return Proof(
        form=form,
        pictures=len(ours),
        max_abs_difference=difference,
        tolerance=tolerance,
        changed=int((said != modelled).sum()),
        runtime=runtime,
        pictures_per_s=round(1 / max(seconds, 1e-6), 1),
        labelled=len(known),
        accuracy=float((said[known] == truth).mean()) if known else None,
        model_accuracy=float((modelled[known] == truth).mean()) if known else None,
    )
