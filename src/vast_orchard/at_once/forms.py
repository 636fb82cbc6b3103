"""The forms in which a model is handed over: what each is for, in words."""

from dataclasses import asdict, dataclass
from typing import Any

from vast_orchard.types import ExportForm

__all__ = ["list_forms"]


@dataclass(frozen=True, kw_only=True)
class _Form:
    form: str
    title: str
    purpose: str  # one line
    holds: str  # one line


_FORMS = (
    _Form(
        form=ExportForm.PACK.value,
        title="Pack",
        purpose="For a programmer: everything, and a program that answers for picture files.",
        holds="ONNX file, classes, description, readme, program, eight pictures with their answers to check by.",
    ),
    _Form(
        form=ExportForm.GRAPH.value,
        title="Graph",
        purpose="For a program that has its own runtime: one file.",
        holds="ONNX file with classes, every step and the threshold in its metadata.",
    ),
    _Form(
        form=ExportForm.SMALL.value,
        title="Small graph",
        purpose="For telephones and small boards: a quarter of the size, and quicker.",
        holds="The same in 8 bits. A few answers may be others: how many is told.",
    ),
    _Form(
        form=ExportForm.PAGE.value,
        title="One page",
        purpose="For anybody: one file that answers in a browser, offline.",
        holds="Opened from the disk of a computer or telephone, it takes pictures and the camera; nothing leaves it.",
    ),
    _Form(
        form=ExportForm.WEIGHTS.value,
        title="Weights",
        purpose="To go on with: to start a training from, here or elsewhere.",
        holds="Safetensors, and the network layer by layer as JSON.",
    ),
)


def list_forms() -> list[dict[str, Any]]:
    """In the order in which they are offered."""
    return [asdict(form) for form in _FORMS]
