"""`orchard bench hand-over`: what a model is in 8 bits and as a page: how small, how fast, how many answers change."""

import io
import json
from typing import Annotated

import typer
from PIL import Image

from vast_orchard.cli.bench_judging import learnt_model
from vast_orchard.cli.bench_page import camera_figures, page_figures
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.network.ready import DEFAULT_NETWORK
from vast_orchard.formats.export_pack import proven_form
from vast_orchard.formats.proof import Proof, ProofPicture
from vast_orchard.jobs.engine import make_ready
from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set
from vast_orchard.types import ExportForm

__all__ = ["bench_hand_over"]

_TRAINING, _LEARNT, _ANSWERED = 1000, 7101, 7102  # seeds that nothing was tuned on
_RANGING = 256
_SHOWN = (160, 120)  # pixels of the files that a browser is given


def bench_hand_over(
    as_json: AsJson = False,
    network: Annotated[str, typer.Option(help="A ready network.")] = DEFAULT_NETWORK,
    kind: Annotated[str, typer.Option(help=f"A made-up set: {', '.join(MADE_UP_SETS)}.")] = "crystals",
    pictures: Annotated[int, typer.Option(help="Freshly drawn ones that both forms answer.")] = 2_000,
) -> None:
    """Train on a thousand made-up pictures, hand over as graph, small graph and page; all answer fresh ones."""
    words = console()
    make_ready(words.print)
    words.print(f"Training {network} on {_TRAINING:,} pictures")
    model = learnt_model(kind, network, _TRAINING, _LEARNT)
    drawn = draw_set(kind, pictures, _ANSWERED)
    files = [
        ProofPicture(ending=".png", data=_file(Image.fromarray(pixels), "PNG"), label=int(label))
        for pixels, label in zip(drawn.pixels, drawn.labels, strict=True)
    ]
    ranging = draw_set(kind, _RANGING, _LEARNT).pixels
    words.print(f"Answering for {pictures:,} pictures by either graph, each in a process of its own")
    made: dict[ExportForm, tuple[int, Proof]] = {}
    for form in (ExportForm.GRAPH, ExportForm.SMALL):
        data, proof = proven_form(form, model, files, {}, ranging=ranging)
        made[form] = len(data), proof
    (whole, plain), (small, changed) = made[ExportForm.GRAPH], made[ExportForm.SMALL]
    found = {
        "small_size_ratio": round(small / whole, 4),
        "small_changed_share": round(changed.changed / changed.pictures, 4),
        "small_accuracy": changed.accuracy,
        "model_accuracy": changed.model_accuracy,
        "small_max_difference": round(changed.max_abs_difference, 4),
        "graph_max_difference": plain.max_abs_difference,
        "small_pictures_per_s": changed.pictures_per_s,
        "graph_pictures_per_s": plain.pictures_per_s,
    }
    words.print("Answering in a browser: the page with the same model, and the camera of the application")
    shown = [Image.fromarray(pixels).resize(_SHOWN, Image.Resampling.BICUBIC) for pixels in drawn.pixels]
    found |= page_figures(model, [_file(image, "PNG") for image in shown], [_file(image, "JPEG") for image in shown])
    found |= camera_figures()
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")


def _file(image: Image.Image, kind: str) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, kind, quality=90)
    return buffer.getvalue()
