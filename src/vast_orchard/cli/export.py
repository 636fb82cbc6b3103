"""`orchard export`: a model in a form to hand over, with its proof, from a terminal."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from vast_orchard import __version__
from vast_orchard.cli.judge import read_model_file
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.errors import InputError, SettingError
from vast_orchard.formats.collection import CollectedPicture, collect
from vast_orchard.formats.export_pack import FORM_ENDINGS, proven_form
from vast_orchard.formats.proof import ProofPicture
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings
from vast_orchard.types import ExportForm, SetName

__all__ = ["export_model"]

_MOST_PICTURES, _RANGING = 2000, 256


def export_model(
    model: Annotated[Path, typer.Argument(help="model.safetensors of orchard train, or of the weights handed over.")],
    pictures: Annotated[Path, typer.Argument(help="Folder or zip of pictures, for the proof: a folder a class.")],
    out: Annotated[Path, typer.Option(help="The file to write.")],
    form: Annotated[str, typer.Option(help=f"One of: {', '.join(ExportForm)}.")] = ExportForm.PACK.value,
    as_json: AsJson = False,
) -> None:
    """Write a model in a form to hand over, proven on the pictures in a fresh process.

    Of a small graph the ranges are found by up to 256 of the pictures, and the others tell how many answers it changes:
    those in a folder called training first, the others last.
    """
    if form not in set(ExportForm):
        raise SettingError(f"There is no form {form!r}.", f"Choose one of {', '.join(ExportForm)}.")
    wanted, words = ExportForm(form), console()
    if out.suffix != FORM_ENDINGS[wanted]:
        raise SettingError(f"{out} does not end in {FORM_ENDINGS[wanted]}.", "Name it so: that is what it is.")
    read = read_model_file(model)
    make_ready(words.print)
    with open_source(pictures) as source:
        collection = collect(source, read.preprocessing)
        # Seen in training first: by them a small graph's ranges are found.
        order = sorted(range(len(collection.pictures)), key=lambda n: _rank(collection.pictures[n]))
        ranging, judged = order[:_RANGING], order[::-1][:_MOST_PICTURES]
        folded = {name.casefold(): place for place, name in enumerate(read.classes)}
        files = [
            ProofPicture(
                ending=Path(entry.path).suffix.lower(),
                data=source.read(entry.path),
                label=folded.get((entry.class_name or "").casefold()),
            )
            for entry in (collection.pictures[n] for n in judged)
        ]
    pixels = np.stack([collection.pixels[n] for n in ranging])
    origin = {"name": model.stem, "program": f"vast-orchard {__version__}"}
    data, proof = proven_form(wanted, read, files, origin, ranging=pixels, team=make_team(read_settings()))
    try:
        out.write_bytes(data)
    except OSError as error:
        raise InputError(f"{out} cannot be written ({error}).", "Choose another place.") from error
    if as_json:
        print(json.dumps({"file": str(out), "bytes": len(data), "proof": asdict(proof)}))
        return
    words.print(f"{out}: {len(data):,} bytes. {_proof_words(proof)}", soft_wrap=True)


def _rank(picture: CollectedPicture) -> tuple[int, str]:
    return (0 if picture.set_name is SetName.TRAINING else 1, picture.sha256)


def _proof_words(proof: object) -> str:
    found = asdict(proof)  # type: ignore[call-overload]
    compared = f"Compared on {found['pictures']} pictures: the largest difference is {found['max_abs_difference']:.1e}"
    changed = f", {found['changed']} answers are others" if found["tolerance"] is None else ""
    return f"{compared}{changed}; {found['pictures_per_s']:g} pictures a second here."
