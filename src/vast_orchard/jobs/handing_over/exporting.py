"""Makes a form of a model and proves it on picture files of the project before it is offered."""

from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

from vast_orchard.core.arrays import Array
from vast_orchard.errors import ConflictError
from vast_orchard.formats.export_pack import FORM_ENDINGS, proven_form
from vast_orchard.formats.model_file import Model, read_model
from vast_orchard.formats.one_page import ClassMark
from vast_orchard.formats.proof import ProofPicture
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_team
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.classes import list_classes
from vast_orchard.store.exports import finish_export, get_export
from vast_orchard.store.models import get_model
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.values import ClassValue, ExportValue, ModelValue, RunValue, SnapshotPictureValue
from vast_orchard.types import ExportForm, SetName

__all__ = ["make_export"]

_ENDINGS = {
    b"\xff\xd8": ".jpg",
    b"\x89P": ".png",
    b"RI": ".webp",
    b"BM": ".bmp",
    b"GI": ".gif",
    b"II": ".tif",
    b"MM": ".tif",
    b"\0\0": ".heic",
}
_ORDER = ("validation", "training", "test")
_RANGING = 256  # training pictures by which a small graph's ranges are found
_MOST_COMPARED = 2000  # validation pictures whose answers a small graph may change


def make_export(context: WorkContext, export_id: int, progress: Progress) -> None:
    """Build, prove and store one form.

    Raises
    ------
    ProofError
        It does not answer as the application does; it is not stored.
    """
    with context.database.session() as session:
        export = get_export(session, export_id)
        entry = get_model(session, export.model_id)
        run = get_run(session, entry.run_id or 0)
        project = get_project(session, export.project_id)
        pictures = snapshot_pictures(session, run.snapshot_id)
        marks = _marks(entry, list_classes(session, export.project_id))
    if not pictures:
        raise ConflictError("The run has no pictures to prove the export on.", "Train again.")
    form = ExportForm(export.form)
    model = _model(context, export, entry)
    team = make_team(context.settings)
    ranging = _ranging(context, pictures, model, progress) if form is ExportForm.SMALL else None
    progress.stage("Proving the export in a fresh process", 2)
    files = _files(context, pictures, [known["id"] for known in entry.classes], form)
    origin = _origin(project.name, run, entry)
    data, proof = proven_form(form, model, files, origin, ranging=ranging, marks=marks, team=team)
    progress.advance()
    path = f"exports/{export_id}{FORM_ENDINGS[form]}"
    context.store.write(path, data)
    context.store.settle()
    with context.database.session() as session:
        finish_export(session, export_id, entry, path, len(data), asdict(proof))
    progress.advance()


def _model(context: WorkContext, export: ExportValue, entry: ModelValue) -> Model:
    model = read_model(context.store.read(entry.weights_path))
    if not export.calibrated:
        return model
    below = entry.unsure_below
    return replace(model, temperature=entry.temperature or 1.0, unsure_below=None if below is None else tuple(below))


def _marks(entry: ModelValue, classes: Sequence[ClassValue]) -> list[ClassMark]:
    """Signs as the model knows them, in today's colours of its classes."""
    today = {known.id: known for known in classes}
    marks = []
    for place, known in enumerate(entry.classes):
        now = today.get(known["id"])
        colour = place if now is None else now.place if now.colour is None else now.colour
        marks.append(ClassMark(sign=known["sign"], colour=colour % 10))
    return marks


def _ranging(context: WorkContext, pictures: Sequence[SnapshotPictureValue], model: Model, progress: Progress) -> Array:
    """Some training pictures as the network sees them, unvaried, spread over all of them."""
    trained = [picture for picture in pictures if picture.set_name == SetName.TRAINING]
    every = max(1, len(trained) // _RANGING)
    return run_pixels(context, trained[::every][:_RANGING], model.preprocessing, progress)


def _files(
    context: WorkContext, pictures: Sequence[SnapshotPictureValue], class_ids: Sequence[int], form: ExportForm
) -> list[ProofPicture]:
    """Validation pictures first: the test set is not touched for a proof while there are others."""
    ordered = sorted(pictures, key=lambda picture: (_ORDER.index(picture.set_name), picture.sha256))
    count = max(32, context.settings.proof_pictures)
    if form is ExportForm.SMALL:
        judged = sum(picture.set_name == SetName.VALIDATION for picture in pictures)
        count = max(count, min(judged, _MOST_COMPARED))
    files = []
    for picture in ordered[:count]:
        data = context.store.read(context.store.picture_path(picture.sha256))
        # Accuracies are told of validation alone.
        label = class_ids.index(picture.class_id) if picture.set_name == SetName.VALIDATION else None
        files.append(ProofPicture(ending=_ENDINGS.get(data[:2], ".img"), data=data, label=label))
    return files


def _origin(project: str, run: RunValue, entry: ModelValue) -> dict[str, Any]:
    # Of this very state: while its run goes on there is none yet.
    scores = run.validation if run.model and run.model.digest == entry.digest else None
    return {
        "name": f"{project}, run {run.number}",
        "project": project,
        "run": run.number,
        "split": run.split_number,
        "kept_epoch": entry.epoch,
        "weights_sha256": entry.digest,
        "recipe": run.recipe,
        "program": run.program,
        "validation": {key: scores[key] for key in ("accuracy", "loss", "count")} if scores else None,
    }
