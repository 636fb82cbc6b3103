"""What was trained in a terminal, written out: the export with its proof, and the weights."""

import re
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from vast_orchard import __version__
from vast_orchard.errors import InputError
from vast_orchard.formats.collection import Collection
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.members import Source
from vast_orchard.formats.model_file import Model, write_model
from vast_orchard.formats.proof import LEAST_PROOF_PICTURES, Proof

__all__ = ["EXPORT_FILE", "LEARNT_FILE", "WEIGHTS_FILE", "export_trained", "learnt_by"]

EXPORT_FILE, WEIGHTS_FILE, LEARNT_FILE = "export.zip", "model.safetensors", "learnt.txt"


def export_trained(
    source: Source, collection: Collection, places: Sequence[int], model: Model, out: Path, learnt: Sequence[str]
) -> tuple[Path, Proof]:
    """Write export, weights and what was learnt from into a folder; where the export lies, and its proof.

    Parameters
    ----------
    places : sequence of int
        Of pictures for the proof in the collection, those first that the training never saw: a proof on others would be
        as good, but less plain.
    learnt : sequence of str
        SHA-256 of the pictures that the model learnt from: by them nobody judges it later.
    """
    names = [collection.pictures[place].path for place in places[: LEAST_PROOF_PICTURES + 16]]
    pictures = [(PurePosixPath(name).suffix.lower(), source.read(name)) for name in names]
    pack, proof = proven_pack(model, pictures, {"name": out.name, "program": f"vast-orchard {__version__}"})
    out.mkdir(parents=True, exist_ok=True)
    target = out / EXPORT_FILE
    target.write_bytes(pack)
    (out / WEIGHTS_FILE).write_bytes(write_model(model))
    (out / LEARNT_FILE).write_text("".join(f"{sha256}\n" for sha256 in sorted(learnt)))
    return target, proof


def learnt_by(weights: Path) -> set[str] | None:
    """SHA-256 of what a model learnt from, as it stands beside its weights; None where nothing is told.

    Raises
    ------
    InputError
        The file is no list of contents.
    """
    file = weights.parent / LEARNT_FILE
    if not file.exists():
        return None
    lines = set(file.read_text(errors="replace").split())
    if any(not re.fullmatch("[0-9a-f]{64}", line) for line in lines):
        raise InputError(f"{file} is no list of contents.", "Write it anew by training again, or move it away.")
    return lines
