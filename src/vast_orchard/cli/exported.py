"""What was trained in a terminal, written out: the export with its proof, and the weights."""

from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from vast_orchard import __version__
from vast_orchard.formats.collection import Collection
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.members import Source
from vast_orchard.formats.model_file import Model, write_model
from vast_orchard.formats.proof import LEAST_PROOF_PICTURES, Proof

__all__ = ["EXPORT_FILE", "WEIGHTS_FILE", "export_trained"]

EXPORT_FILE, WEIGHTS_FILE = "export.zip", "model.safetensors"


def export_trained(
    source: Source, collection: Collection, places: Sequence[int], model: Model, out: Path
) -> tuple[Path, Proof]:
    """Write export and weights into a folder; where the export lies, and its proof.

    Parameters
    ----------
    places : sequence of int
        Of pictures for the proof in the collection, those first that the training never saw: a proof on others would be
        as good, but less plain.
    """
    names = [collection.pictures[place].path for place in places[: LEAST_PROOF_PICTURES + 16]]
    pictures = [(PurePosixPath(name).suffix.lower(), source.read(name)) for name in names]
    pack, proof = proven_pack(model, pictures, {"name": out.name, "program": f"vast-orchard {__version__}"})
    out.mkdir(parents=True, exist_ok=True)
    target = out / EXPORT_FILE
    target.write_bytes(pack)
    (out / WEIGHTS_FILE).write_bytes(write_model(model))
    return target, proof
