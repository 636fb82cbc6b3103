"""A repeatable search that is killed again and again has the trials, the winner and the weights of one left alone."""

from pathlib import Path
from typing import Any

import pytest

from tests.pictures import two_classes, zipped
from tests.running import Running, until
from tests.world import small_recipe


def _begin(app: Running, project: int) -> int:
    recipe: Any = small_recipe(epochs=150)
    recipe["settings"]["keep"] = "last"
    body = {
        "kind": "trials", "question": "Which rate", "recipe": recipe, "trials": 6,
        "space": [{"name": "learning_rate", "low": 0.0005, "high": 0.05, "by_ratio": True}],
        "dropping": {"factor": 3, "least": 50, "waits": True},
    }  # fmt: skip
    return int(app.ask("POST", f"/api/projects/{project}/plans", json=body)["id"])


def _ended(app: Running, plan_id: int) -> dict[str, Any]:
    plan: dict[str, Any] = until(
        "the plan is read",
        lambda: plan if (plan := app.ask("GET", f"/api/plans/{plan_id}"))["found"] else None,
    )
    return plan


def _told(app: Running, plan: dict[str, Any]) -> list[Any]:
    runs = [app.ask("GET", f"/api/runs/{one['run_id']}") for one in plan["trials"]]
    return [
        (one["values"], one["rungs"], one["epochs_done"], run["model"]["digest"], run["ended_by"])
        for one, run in zip(plan["trials"], runs, strict=True)
    ]


def _at_least(app: Running, plan_id: int, epochs: int) -> dict[str, Any]:
    def far_enough() -> dict[str, Any] | None:
        plan: dict[str, Any] = app.ask("GET", f"/api/plans/{plan_id}")
        return plan if plan["epochs_done"] >= epochs or plan["state"] == "ended" else None

    return until(f"{epochs} epochs", far_enough)


@pytest.mark.long
def test_kills_change_neither_trials_nor_winner_nor_weights(open_folder: Path) -> None:
    app = Running(open_folder / "plans", trainings_at_once="2", threads="1")
    try:
        app.wait_ready()
        project = app.bring_in("Ridge", zipped(two_classes(each=40)))
        alone = _ended(app, _begin(app, project))
        plan_id = _begin(app, project)
        under_way = 0
        for done, target in ((10, "train"), (100, "postgres"), (200, "train"), (280, "serve"), (380, "supervisor")):
            plan = _at_least(app, plan_id, done)
            under_way += plan["state"] == "running"
            if target == "supervisor":
                app.kill()
                app.start_again()
            else:
                app.kill_child(target)
            until("it answers again", app.answers)
        # A machine so quick that most of it was done before the kills would show nothing.
        assert under_way >= 3
        disturbed = _ended(app, plan_id)
        assert disturbed["ended_by"] == "done"
        assert disturbed["best"] == alone["best"]
        assert _told(app, disturbed) == _told(app, alone)
    finally:
        app.stop()
