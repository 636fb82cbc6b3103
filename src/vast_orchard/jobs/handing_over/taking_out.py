"""Makes parcels: a collection as a zip of class folders, or a whole project as an archive."""

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import PROGRAM
from vast_orchard.errors import ConflictError, ServiceError
from vast_orchard.formats.answers import answer_row
from vast_orchard.formats.collection_zip import PackedPicture, write_collection_zip
from vast_orchard.formats.croissant import DatasetFacts
from vast_orchard.formats.project_archive import ArchiveWriter, write_project_archive
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.areas import areas_for
from vast_orchard.store.bin import project_contents, project_files
from vast_orchard.store.classes import list_classes
from vast_orchard.store.disk import disk_full, is_full
from vast_orchard.store.field_scope import said_of, scope_of
from vast_orchard.store.models import get_model
from vast_orchard.store.parcels import finish_parcel, get_parcel
from vast_orchard.store.pictures import packed_pictures
from vast_orchard.store.projects import get_project
from vast_orchard.store.transfer import at_one_moment, check_at_rest, dump_records
from vast_orchard.store.values import FullPicture, ParcelValue

__all__ = ["make_parcel", "pack_collection"]


def make_parcel(context: WorkContext, parcel_id: int, progress: Progress) -> None:
    """Write a parcel's file; a parcel that fails or is stopped leaves none.

    Raises
    ------
    ConflictError
        There is nothing to take out, or the project changes by itself just now.
    DiskFullError, ServiceError
        It cannot be written.
    """
    with context.database.session() as session:
        parcel = get_parcel(session, parcel_id)
    if parcel.size_bytes is not None:
        return  # a worker that died after its last step did everything already
    target = context.folder.parcel(parcel_id)
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        if parcel.kind == "project":
            count = _project(context, parcel, target, progress)
        else:
            count = pack_collection(context, parcel.project_id, target, progress, parcel.options)
    except OSError as error:
        context.folder.remove(target)
        if is_full(error):
            raise disk_full("The parcel", target.parent, 0) from error
        raise ServiceError(f"The parcel cannot be written: {error}.", "Allow writing there, then repeat.") from error
    with context.database.session() as session:
        finish_parcel(session, parcel_id, target.stat().st_size, count)


def pack_collection(
    context: WorkContext, project_id: int, target: Path, progress: Progress, options: Mapping[str, Any]
) -> int:
    """Write a project's pictures with their labels as a zip, whole or not at all; returns how many.

    Parameters
    ----------
    options : mapping
        As of a parcel, all of it optional: `picture_ids`, `split`, `by_set`, `said_by`, `creator`, `licence`.

    Raises
    ------
    ConflictError
        There are none.
    """
    with context.database.session() as session:
        project = get_project(session, project_id)
        classes = [entry.name for entry in list_classes(session, project_id)]
        chosen = options.get("picture_ids")
        pictures = packed_pictures(session, project_id, options.get("split"), chosen)
        areas = areas_for(session, project_id, [picture.id for picture in pictures])
        answers = _answers(session, project_id, options["said_by"]) if options.get("said_by") else None
    if not pictures:
        raise ConflictError("There are no pictures to take out.", "Bring some in, or choose others.")
    progress.stage("Packing pictures", len(pictures))
    facts = DatasetFacts(
        name=project.name,
        description=project.description
        or f"{len(pictures)} pictures in {len(classes)} classes, taken out of the project {project.name}.",
        published=f"{dt.datetime.now(dt.UTC):%Y-%m-%d}",
        version="1.0.0",
        classes=classes,
        creator=str(options.get("creator") or ""),
        licence=str(options.get("licence") or ""),
    )
    draft = target.with_suffix(".part")
    try:
        count = write_collection_zip(
            draft,
            _packed(pictures, areas, answers),
            lambda sha256: context.store.read(context.store.picture_path(sha256)),
            facts,
            by_set=bool(options.get("by_set")),
            progress=progress.advance,
            answered=answers is not None,
        )
        draft.replace(target)
    finally:
        draft.unlink(missing_ok=True)
    return count


def _answers(session: Session, project_id: int, run: int) -> dict[int, list[object]]:
    """Cells of what a run said of each picture that it was asked about, but for the test set."""
    scope = scope_of(session, project_id, run_id=run, now=dt.datetime.now(dt.UTC))
    if scope.model_id is None:
        return {}
    classes = get_model(session, scope.model_id).classes
    return {picture: answer_row(asdict(said), classes) for picture, said in said_of(session, scope).items()}


def _packed(
    pictures: Sequence[FullPicture],
    areas: Mapping[int, Mapping[str, Any]],
    answers: Mapping[int, Sequence[object]] | None,
) -> Iterator[PackedPicture]:
    for x in pictures:
        yield PackedPicture(
            sha256=x.sha256,
            name=x.name,
            label=x.class_name,
            set_name=x.set_name,
            group=x.group_key,
            note=x.note,
            width=x.width,
            height=x.height,
            mode=x.mode,
            format=x.format,
            size_bytes=x.size_bytes,
            two_labels=x.two_labels,
            came_at=x.came_at,
            appearances=x.appearances,
            area=areas.get(x.id),
            answer=() if answers is None else answers.get(x.id, answer_row(None, [])),
        )


def _project(context: WorkContext, parcel: ParcelValue, target: Path, progress: Progress) -> int:
    store, project_id = context.store, parcel.project_id
    with context.database.session() as session:
        check_at_rest(session, project_id)
        contents = project_contents(session, project_id)
        files = project_files(session, project_id)
    copied = [*files.weights, *files.exports]
    progress.stage("Packing the project", len(contents) + len(copied) + 1)

    def write(archive: ArchiveWriter) -> None:
        with context.database.session() as session:
            at_one_moment(session)
            project = get_project(session, project_id)
            counts = {table: archive.records(table, rows) for table, rows in dump_records(session, project_id)}
        progress.advance()
        for sha256 in contents:
            archive.file(f"pictures/{sha256}", store.read(store.picture_path(sha256)))
            if store.exists(store.thumbnail_path(sha256)):
                archive.file(f"thumbnails/{sha256}", store.read(store.thumbnail_path(sha256)))
            progress.advance()
        for path in copied:
            archive.file(f"files/{path}", store.read(path))
            progress.advance()
        archive.finish(project.name, project.description, PROGRAM, counts)

    write_project_archive(target, write)
    return len(contents)
