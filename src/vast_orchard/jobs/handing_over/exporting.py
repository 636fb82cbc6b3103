"""Makes an export pack and proves it on picture files of the project before it is offered."""

from dataclasses import asdict, replace

from vast_orchard.errors import ConflictError
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.model_file import read_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.exports import finish_export, get_export
from vast_orchard.store.models import get_model
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.snapshots import snapshot_pictures

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


def make_export(context: WorkContext, export_id: int, progress: Progress) -> None:
    """Build, prove and store one pack.

    Raises
    ------
    ProofError
        The pack does not answer as the application does; it is not stored.
    """
    with context.database.session() as session:
        export = get_export(session, export_id)
        entry = get_model(session, export.model_id)
        run = get_run(session, entry.run_id or 0)
        project = get_project(session, export.project_id)
        pictures = snapshot_pictures(session, run.snapshot_id)
    if not pictures:
        raise ConflictError("The run has no pictures to prove the export on.", "Train again.")
    model = read_model(context.store.read(entry.path))
    if export.calibrated:
        below = entry.unsure_below
        model = replace(
            model, temperature=entry.temperature or 1.0, unsure_below=None if below is None else tuple(below)
        )
    # Validation pictures first: the test set is not touched for a proof while there are others.
    ordered = sorted(pictures, key=lambda picture: (_ORDER.index(picture.set_name), picture.sha256))
    progress.stage("Proving the export in a fresh process", 2)
    files = []
    for picture in ordered[: max(32, context.settings.proof_pictures)]:
        data = context.store.read(context.store.picture_path(picture.sha256))
        files.append((_ENDINGS.get(data[:2], ".img"), data))
    # Of this very state: while its run goes on there is none yet.
    scores = run.validation if run.model and run.model.digest == entry.digest else None
    origin = {
        "name": f"{project.name}, run {run.number}",
        "project": project.name,
        "run": run.number,
        "split": run.split_number,
        "kept_epoch": entry.epoch,
        "weights_sha256": entry.digest,
        "recipe": run.recipe,
        "program": run.program,
        "validation": {key: scores[key] for key in ("accuracy", "loss", "count")} if scores else None,
    }
    pack, proof = proven_pack(model, files, origin)
    progress.advance()
    path = f"exports/{export_id}.zip"
    context.store.write(path, pack)
    context.store.settle()
    with context.database.session() as session:
        finish_export(session, export_id, entry, path, len(pack), asdict(proof))
    progress.advance()
