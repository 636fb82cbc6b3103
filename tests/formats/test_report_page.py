"""The page of a report for more classes than a sheet of paper has columns, and for one without anything."""

from typing import Any

from vast_orchard.formats.report_page import report_page


def _facts(classes: int, confusion: list[list[int]]) -> dict[str, Any]:
    own = {"precision": None, "recall": 0.5, "f1": 0.5, "count": 4, "predicted": 0, "right": 2}
    scores = {
        "count": 8, "right": 4, "accuracy": 0.5, "accuracy_interval": [0.2, 0.8], "largest_class_share": 0.5,
        "classes": [own] * classes, "confusion": confusion,
    }  # fmt: skip
    return {
        "project": "Ridge", "made_at": "2026-11-29T10:00:00+00:00", "program": "0.9",
        "run": {"number": 3, "name": "", "note": "", "program": "0.9", "started_at": "2026-11-29T09:00:00+00:00",
                "epochs_done": 0},
        "model": {"epoch": 1, "weights_sha256": None, "parameters": 1234, "looks_at_test": 2},
        "classes": [f"kind {n}" for n in range(classes)],
        "pictures": {"by_set": {"training": 9, "validation": 8},
                     "by_class": {"validation": [1] * classes, "training": [1] * classes}, "split": 1,
                     "in_groups_of_copies": 0, "groups_of_copies": 0, "labels_changed_since": 0, "added_since": 0,
                     "gone_since": 0},
        "working_area": "the left half",
        "recipe": {"settings": {"batch_size": 16}, "preprocessing": {}, "variation": {"operations": []},
                   "network": {"name": ""}},
        "epochs": [], "sets": {"validation": {"scores": scores, "sureness": None}}, "worst": [], "slices": [],
        "in_short": [{"about": "next", "words": "More pictures of <rime>.", "sift": None, "p": 0.004, "more": 0}],
        "lookouts": [],
    }  # fmt: skip


def test_many_classes_stand_as_ranked_pairs() -> None:
    confusion = [[0] * 40 for _ in range(40)]
    confusion[3][7], confusion[7][3], confusion[1][2] = 2, 5, 6
    page = report_page(_facts(40, confusion), {})
    assert 'class="matrix"' not in page
    rows = page[page.index("read as</th>") :]
    # Seven between 7 and 3, named by the way that is more frequent; then six.
    assert rows.index("kind 7") < rows.index("kind 3") < rows.index("kind 1") < rows.index("kind 2")


def test_what_is_not_known_is_left_open() -> None:
    page = report_page(_facts(2, [[2, 2], [2, 2]]), {})
    assert 'class="matrix"' in page
    assert (
        "There are none." in page
        and "the left half" in page
        and "so far: 2." in page
        and "a network of one&#39;s own" in page
    )
    assert page.index("training</th>") < page.index("validation</th>")
    assert "Calibration" not in page
    assert "More pictures of &lt;rime&gt;." in page and "p = 0.004" in page
