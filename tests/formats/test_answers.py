"""Answers as cells of a table, by hand."""

from vast_orchard.formats.answers import ANSWER_COLUMNS, answer_row

_CLASSES = [{"id": 7, "name": "plate"}, {"id": 3, "name": "rime"}, {"id": 9, "name": "column"}]
_SAID = {
    "run": 4, "digest": "ab12", "set_name": "validation", "true_class": 3, "predicted_class": 9, "p": 0.61,
    "loss": 1.5, "probabilities": [0.09, 0.3, 0.61],
}  # fmt: skip


def test_an_answer_names_classes_and_the_runner_up() -> None:
    row = dict(zip((name for name, _, _ in ANSWER_COLUMNS), answer_row(_SAID, _CLASSES), strict=True))
    assert row == {
        "run": 4, "digest": "ab12", "judged_set": "validation", "true": "rime", "predicted": "column", "p": 0.61,
        "runner_up": "rime", "runner_up_p": 0.3, "loss": 1.5,
    }  # fmt: skip


def test_no_answer_is_empty_cells_and_a_class_that_is_gone_has_no_name() -> None:
    assert answer_row(None, _CLASSES) == [""] * 9
    alone = answer_row({**_SAID, "digest": None, "true_class": 8, "probabilities": [1.0]}, _CLASSES[:1])
    assert alone[1:4] == ["", "validation", ""]
    assert alone[6:8] == ["", ""]
