"""Small types that every layer shares; a leaf that imports nothing of ours."""

from enum import StrEnum

__all__ = ["SetName"]


class SetName(StrEnum):
    """The three sets of a split, in the order in which they are shown."""

    TRAINING = "training"
    VALIDATION = "validation"
    TEST = "test"
