"""Short words for what many tests do: make a project, bring pictures in, train, run waiting jobs."""

import datetime as dt
import secrets
from collections.abc import Mapping, Sequence

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import default_recipe, recipe_of
from vast_orchard.at_once.dividing import DivideRule, divide
from vast_orchard.jobs.context import WorkContext
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.run_job import run_job
from vast_orchard.jobs.training.starting import RunOrder, start_run
from vast_orchard.store.field import sifted_pictures
from vast_orchard.store.field_scope import scope_of
from vast_orchard.store.imports import create_import, get_import
from vast_orchard.store.jobs import get_job, job_of
from vast_orchard.store.models import get_model
from vast_orchard.store.projects import create_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind, Picture
from vast_orchard.store.values import JobValue, PictureValue

__all__ = ["World", "list_pictures", "small_recipe"]


def small_recipe(epochs: int = 2, seed: int = 1) -> dict[str, object]:
    """A recipe that trains in a second or two."""
    recipe = default_recipe()
    recipe["network"] = "plain 4"
    recipe["preprocessing"]["size"] = 16
    recipe["settings"].update(epochs=epochs, seed=seed, batch_size=16, learning_rate=0.01)
    return recipe


def list_pictures(session: Session, project_id: int, split_id: int | None = None) -> Sequence[PictureValue]:
    """Every picture of a small project, in the order they came."""
    scope = scope_of(session, project_id, split_id=split_id, now=dt.datetime.now(dt.UTC))
    return sifted_pictures(session, scope, "", 0, 10_000)


class World:
    """One set of records and bytes."""

    def __init__(self, context: WorkContext) -> None:
        self.context = context

    def project(self, name: str = "Crystals") -> int:
        """A new project's id."""
        with self.context.database.session() as session:
            return create_project(session, name).id

    def upload(self, members: Mapping[str, bytes]) -> str:
        """Files as if they had been uploaded; the id of the upload."""
        upload = secrets.token_hex(8)
        for name, data in members.items():
            target = self.context.folder.uploads / upload / name
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        return upload

    def import_job(self, project_id: int, members: Mapping[str, bytes], name: str = "in") -> int:
        """A waiting import; the job's id."""
        upload = self.upload(members)
        with self.context.database.session() as session:
            entry = create_import(session, project_id, name, upload)
            return start_job(session, project_id, JobKind.IMPORT, f"Bring in {name}", entry.id)

    def bring_in(self, project_id: int, members: Mapping[str, bytes], name: str = "in") -> dict[str, object]:
        """Bring files in and return the report; fails the test if the job failed."""
        job = self.run(self.import_job(project_id, members, name))
        assert job.state == "done", job.error
        with self.context.database.session() as session:
            report = get_import(session, job.subject_id).report
        assert report is not None
        return report

    def bring_in_apart(self, project_id: int, members: Mapping[str, bytes]) -> None:
        """Bring files in, and have nobody look for copies: made-up pictures of one class are nearly all alike."""
        self.bring_in(project_id, members)
        with self.context.database.session() as session:
            session.execute(text("update job set state = 'done' where kind = 'copies'"))

    def run_job(self, project_id: int, recipe: dict[str, object] | None = None) -> tuple[int, int]:
        """A waiting run on a fresh split; ids of run and job."""
        with self.context.database.session() as session:
            split = divide(session, project_id, DivideRule())
            order = RunOrder(recipe=recipe_of(recipe or small_recipe()), split_id=split.id)
            run = start_run(session, project_id, order)
        return run.id, self.job_of(JobKind.TRAIN, run.id)

    def run(self, job_id: int) -> JobValue:
        """Do a job here and now, as a worker would, and return how it ended."""
        run_job(self.context, job_id)
        return self.job(job_id)

    def job(self, job_id: int) -> JobValue:
        """A job as it stands."""
        with self.context.database.session() as session:
            return get_job(session, job_id)

    def job_of(self, kind: JobKind, subject_id: int, part: str = "") -> int:
        """The id of the newest job on a subject."""
        with self.context.database.session() as session:
            found = job_of(session, kind, subject_id, part)
        assert found is not None
        return found.id

    def project_of(self, run_id: int) -> int:
        """Whose run it is."""
        with self.context.database.session() as session:
            return get_run(session, run_id).project_id

    def digest_of(self, run_id: int) -> str:
        """Of the weights that a run kept."""
        with self.context.database.session() as session:
            model = get_run(session, run_id).model
        assert model is not None
        assert model.digest is not None
        return model.digest

    def judge(self, model_id: int, set_name: str) -> JobValue:
        """Judge a model on a set, here and now."""
        with self.context.database.session() as session:
            project = get_model(session, model_id).project_id
            job = start_job(session, project, JobKind.JUDGE, "Judge", model_id, set_name)
        return self.run(job)

    def run_waiting(self) -> None:
        """Do everything that waits, oldest first."""
        with self.context.database.session() as session:
            waiting = list(session.execute(text("select id from job where state = 'waiting' order by id")).scalars())
        for job_id in waiting:
            run_job(self.context, job_id)

    def picture_ids(self, project_id: int) -> list[int]:
        """Every picture of the project, in the order they came."""
        with self.context.database.session() as session:
            return list(
                session.scalars(select(Picture.id).where(Picture.project_id == project_id).order_by(Picture.id))
            )
