"""The bin: what lies in it, what it holds of the disk, and removing it for good."""

from collections.abc import Sequence

from sqlalchemy import ColumnElement, delete, func, select, text
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.database import among, among_contents, tell
from vast_orchard.store.plans import plan_files
from vast_orchard.store.schema import Export, Import, Model, Parcel, Picture, Project, Run, Snapshot, SnapshotPicture
from vast_orchard.store.values import BinnedPicture, DiskUse, ProjectFiles

__all__ = [
    "count_bin",
    "delete_project_records",
    "delete_some_binned",
    "disk_use",
    "held_contents",
    "is_purged",
    "list_bin",
    "mark_purged",
    "pack_files",
    "project_contents",
    "project_files",
    "weight_files",
]


def _binned(project_id: int) -> tuple[ColumnElement[bool], ColumnElement[bool]]:
    return Picture.project_id == project_id, Picture.deleted_at.is_not(None)


def count_bin(session: Session, project_id: int) -> int:
    """Pictures in a project's bin."""
    return session.scalar(select(func.count()).select_from(Picture).where(*_binned(project_id))) or 0


def list_bin(session: Session, project_id: int, limit: int) -> Sequence[BinnedPicture]:
    """What lies in the bin, last thrown away first."""
    rows = session.execute(
        select(Picture.id, Picture.sha256, Picture.name, Picture.class_id, Picture.deleted_at)
        .where(*_binned(project_id))
        .order_by(Picture.deleted_at.desc(), Picture.id)
        .limit(limit)
    )
    return [
        BinnedPicture(id=row.id, sha256=row.sha256, name=row.name, class_id=row.class_id, deleted_at=row.deleted_at)
        for row in rows
    ]


def delete_some_binned(session: Session, project_id: int, limit: int) -> list[str]:
    """Remove the records of some binned pictures; returns their contents, whose bytes may now be nobody's."""
    chosen = select(Picture.id).where(*_binned(project_id)).order_by(Picture.id).limit(limit)
    ids = list(session.scalars(chosen))
    if not ids:
        return []
    gone = session.execute(delete(Picture).where(among(Picture.id, ids)).returning(Picture.sha256)).scalars().all()
    tell(session, "bin", project_id)
    return list(gone)


def held_contents(session: Session, sha256s: Sequence[str], *, but_for: int = 0) -> set[str]:
    """Those of the contents that some project or some run still holds, not counting the project `but_for`."""
    pictures = select(Picture.sha256).where(among_contents(Picture.sha256, sha256s), Picture.project_id != but_for)
    runs = (
        select(SnapshotPicture.sha256)
        .join(Snapshot, Snapshot.id == SnapshotPicture.snapshot_id)
        .where(among_contents(SnapshotPicture.sha256, sha256s), Snapshot.project_id != but_for)
    )
    return set(session.scalars(pictures)) | set(session.scalars(runs.distinct()))


def mark_purged(session: Session, project_id: int) -> str:
    """Take a project out of the bin for good; returns its name. Its records go with a job.

    Raises
    ------
    MissingError, ConflictError
        It is not there, or not in the bin.
    """
    row = session.get(Project, project_id, with_for_update=True)
    if row is None or row.purged:
        raise MissingError(f"There is no project {project_id} in the bin.", "Look at the list again.")
    if row.deleted_at is None:
        raise ConflictError(f"{row.name} is not in the bin.", "Delete it first.")
    row.purged = True
    tell(session, "projects", row.id)
    return row.name


def is_purged(session: Session, project_id: int) -> bool:
    """True if the whole project is to be removed."""
    return bool(session.scalar(select(Project.purged).where(Project.id == project_id)))


def project_contents(session: Session, project_id: int) -> list[str]:
    """Every content that a project or one of its runs holds."""
    pictures = set(session.scalars(select(Picture.sha256).where(Picture.project_id == project_id)))
    runs = (
        select(SnapshotPicture.sha256)
        .join(Snapshot, Snapshot.id == SnapshotPicture.snapshot_id)
        .where(Snapshot.project_id == project_id)
    )
    return sorted(pictures | set(session.scalars(runs.distinct())))


def weight_files(session: Session, project_id: int, run_id: int | None = None) -> list[str]:
    """Where weights of models lie, what runs started from, and states to go on from; of one run only, if named."""
    runs = select(Run.state_path, Run.start_path).where(Run.project_id == project_id)
    models = select(Model.path).where(Model.project_id == project_id)
    if run_id is not None:
        runs, models = runs.where(Run.id == run_id), models.where(Model.run_id == run_id)
    states = [path for row in session.execute(runs) for path in row]
    return [path for path in (*session.scalars(models), *states) if path]


def pack_files(session: Session, project_id: int, run_id: int | None = None) -> list[str]:
    """Where export packs lie; of one run only, if it is named."""
    packs = select(Export.path).where(Export.project_id == project_id)
    if run_id is not None:
        packs = packs.join(Model, Model.id == Export.model_id).where(Model.run_id == run_id)
    return [path for path in session.scalars(packs) if path is not None]


def project_files(session: Session, project_id: int) -> ProjectFiles:
    """What lies in files of its own for a project."""
    imports = session.execute(
        select(Import.id, Import.location, Import.source_kind).where(Import.project_id == project_id)
    ).all()
    return ProjectFiles(
        weights=[*weight_files(session, project_id), *plan_files(session, project_id)],
        exports=pack_files(session, project_id),
        parcels=list(session.scalars(select(Parcel.id).where(Parcel.project_id == project_id))),
        uploads=[row.location for row in imports if row.source_kind == "upload" and row.location],
        imports=[row.id for row in imports],
    )


def delete_project_records(session: Session, project_id: int) -> None:
    """Remove a purged project with everything that belongs to it."""
    # What others point at without a cascade goes first.
    session.execute(text("delete from action where project_id = :id and undoes is not null"), {"id": project_id})
    session.execute(text("delete from action where project_id = :id"), {"id": project_id})
    session.execute(text("delete from picture where project_id = :id"), {"id": project_id})
    session.execute(text("delete from run where project_id = :id"), {"id": project_id})
    session.execute(delete(Project).where(Project.id == project_id, Project.purged))
    tell(session, "projects", project_id)


def disk_use(session: Session, project_id: int) -> DiskUse:
    """What the records say of a project's pictures; files of its own are measured where they lie."""
    row = session.execute(
        select(
            func.coalesce(func.sum(Picture.size_bytes).filter(Picture.deleted_at.is_(None)), 0),
            func.coalesce(func.sum(Picture.thumbnail_bytes), 0),
            func.coalesce(func.sum(Picture.size_bytes).filter(Picture.deleted_at.is_not(None)), 0),
        ).where(Picture.project_id == project_id)
    ).one()
    shared = session.scalar(
        text(
            "select coalesce(sum(p.size_bytes), 0) from picture p where p.project_id = :id and exists"
            " (select 1 from picture o where o.sha256 = p.sha256 and o.project_id <> p.project_id)"
        ),
        {"id": project_id},
    )
    exports = session.scalar(
        select(func.coalesce(func.sum(Export.size_bytes), 0)).where(Export.project_id == project_id)
    )
    parcels = session.scalar(
        select(func.coalesce(func.sum(Parcel.size_bytes), 0)).where(Parcel.project_id == project_id)
    )
    return DiskUse(
        pictures=int(row[0]),
        thumbnails=int(row[1]),
        bin=int(row[2]),
        shared=int(shared or 0),
        runs=0,
        exports=int(exports or 0),
        parcels=int(parcels or 0),
        sources=0,
    )
