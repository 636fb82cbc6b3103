"""Small types that every layer shares; a leaf that imports nothing of ours."""

from enum import StrEnum

__all__ = ["ExportForm", "JudgedSet", "SetName"]


class ExportForm(StrEnum):
    """In which form a model is handed over."""

    PACK = "pack"  # everything, with a program and pictures to check by
    GRAPH = "graph"  # the ONNX file alone
    SMALL = "small"  # the same in 8 bits
    PAGE = "page"  # one HTML file that answers by itself
    WEIGHTS = "weights"  # to go on with here, or elsewhere


class SetName(StrEnum):
    """The three sets of a split, in the order in which they are shown."""

    TRAINING = "training"
    VALIDATION = "validation"
    TEST = "test"


class JudgedSet(StrEnum):
    """What a model can be judged on: the sets of its run, and what lay in none of them."""

    TRAINING = "training"
    VALIDATION = "validation"
    TEST = "test"
    OUTSIDE = "outside"  # labelled, and in no set
    UNLABELLED = "unlabelled"  # answers without scores
