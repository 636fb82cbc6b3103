"""Makes an export pack and proves it on picture files of the project before it is offered."""

from dataclasses import asdict

from vast_orchard.errors import ConflictError
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.judging import kept_model
from vast_orchard.store.exports import finish_export, get_export
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run, run_pictures

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
        run = get_run(session, export.run_id)
        project = get_project(session, export.project_id)
        pictures = run_pictures(session, export.run_id)
    if not pictures:
        raise ConflictError("The run has no pictures to prove the export on.", "Train again.")
    model = kept_model(context, run.id)
    # Validation pictures first: the test set is not touched for a proof while there are others.
    ordered = sorted(pictures, key=lambda picture: (_ORDER.index(picture.set_name), picture.sha256))
    progress.stage("Proving the export in a fresh process", 2)
    files = []
    for picture in ordered[: max(32, context.settings.proof_pictures)]:
        data = context.store.read(context.store.picture_path(picture.sha256))
        files.append((_ENDINGS.get(data[:2], ".img"), data))
    validation = run.judgements.get("validation")
    origin = {
        "name": f"{project.name}, run {run.number}",
        "project": project.name,
        "run": run.number,
        "split": run.split_number,
        "kept_epoch": run.kept_epoch,
        "recipe": run.recipe,
        "program": run.program,
        "validation": {key: validation[key] for key in ("accuracy", "loss", "count")} if validation else None,
    }
    pack, proof = proven_pack(model, files, origin)
    progress.advance()
    path = f"exports/{export_id}.zip"
    context.store.write(path, pack)
    context.store.settle()
    with context.database.session() as session:
        finish_export(session, export_id, path, len(pack), asdict(proof))
    progress.advance()
