"""The words of the Sift: its fields, flags and orders, each with one line that says what it is."""

from dataclasses import dataclass
from enum import StrEnum

__all__ = [
    "AREAS",
    "FIELDS",
    "FINDINGS",
    "FLAGS",
    "JOINS",
    "ORDERS",
    "RUN_FLAGS",
    "RUN_ORDERS",
    "Field",
    "Kind",
    "quoted",
]


class Kind(StrEnum):
    """What values a field takes."""

    CLASS = "class"  # a class's name, or none
    SET = "set"  # training, validation, test, or none
    TEXT = "text"  # part of a text; * stands for anything
    NUMBER = "number"
    BYTES = "bytes"  # a number, with kB or MB behind it
    DAY = "day"  # today, yesterday, 7d, or a date
    ACTION = "action"  # the number of a step in the history
    RUN = "run"  # the number of a run
    FINDING = "finding"  # what was found of it
    AREA = "area"  # how a picture's working area came about, or what it does


@dataclass(frozen=True, kw_only=True)
class Field:
    """A word before a colon."""

    kind: Kind
    words: str
    needs_run: bool = False


FIELDS = {
    "class": Field(kind=Kind.CLASS, words="label: class:plate, class:plate,column, class:none"),
    "set": Field(kind=Kind.SET, words="set in the split on show: set:test, set:none"),
    "name": Field(kind=Kind.TEXT, words="part of the file name: name:ridge, name:ridge-*"),
    "path": Field(kind=Kind.TEXT, words="part of a path it came in by"),
    "source": Field(kind=Kind.TEXT, words="part of the name of what it came with"),
    "group": Field(kind=Kind.TEXT, words="what belongs together, as the source said"),
    "note": Field(kind=Kind.TEXT, words="part of the note"),
    "format": Field(kind=Kind.TEXT, words="file format: format:png"),
    "mode": Field(kind=Kind.TEXT, words="how the file stores pixels: mode:RGB, mode:L"),
    "width": Field(kind=Kind.NUMBER, words="pixels: width<64"),
    "height": Field(kind=Kind.NUMBER, words="pixels: height>=200"),
    "side": Field(kind=Kind.NUMBER, words="the longer side, in pixels"),
    "shape": Field(kind=Kind.NUMBER, words="width over height: shape>2 is lying"),
    "size": Field(kind=Kind.BYTES, words="of the file: size>200kB"),
    "brightness": Field(kind=Kind.NUMBER, words="mean of the pixels, 0 to 1: brightness<0.2"),
    "contrast": Field(kind=Kind.NUMBER, words="deviation of its brightness, 0 to 0.5; of what was ever judged"),
    "sharpness": Field(kind=Kind.NUMBER, words="share of fine detail, 0 to 1: sharpness<0.2; of what was ever judged"),
    "light": Field(kind=Kind.NUMBER, words="of the brightest part and the ground, 0 to 1: light<0.2; once looked at"),
    "span": Field(kind=Kind.NUMBER, words="from the darkest to the brightest part, 0 to 1; once looked at"),
    "blur": Field(kind=Kind.NUMBER, words="radius of its edges at a side of 96: blur>2; once looked at"),
    "noise": Field(kind=Kind.NUMBER, words="deviation, as a share of 1: noise>0.03; once looked at"),
    "cut": Field(kind=Kind.NUMBER, words="share of the rim where it goes on beyond: cut>0.2; once looked at"),
    "finding": Field(kind=Kind.FINDING, words="what is wrong with it: finding:label, finding:any, finding:dismissed"),
    "came": Field(kind=Kind.DAY, words="when it came in: came:today, came<2026-01-31, came:7d"),
    "changed": Field(kind=Kind.DAY, words="when somebody changed it: changed:today, changed:7d"),
    "action": Field(kind=Kind.ACTION, words="what a step of the history changed: action:12"),
    "area": Field(kind=Kind.AREA, words="the part that counts: area:own, area:covered, area:whole"),
    "accepted": Field(kind=Kind.RUN, words="labelled as that run proposed, and still so: accepted:3"),
    "mended": Field(kind=Kind.RUN, words="right now, and wrong by that run: mended:3", needs_run=True),
    "broken": Field(kind=Kind.RUN, words="wrong now, and right by that run: broken:3", needs_run=True),
    "predicted": Field(kind=Kind.CLASS, words="what the run read it as: predicted:plate", needs_run=True),
    "true": Field(kind=Kind.CLASS, words="the class that the run was judged against: true:plate", needs_run=True),
    "judged": Field(
        kind=Kind.SET, words="the set in which the run was asked: judged:validation, judged:outside", needs_run=True
    ),
    "p": Field(kind=Kind.NUMBER, words="probability of the predicted class: p<0.6", needs_run=True),
    "loss": Field(kind=Kind.NUMBER, words="of the run on it: loss>1", needs_run=True),
}

# What `area:` may be, each with what it means.
AREAS = {
    "own": "with a working area of its own",
    "rule": "with the working area of a rule",
    "covered": "of which something is covered",
    "found": "of which the part that stands out counts",
    "whole": "which count whole",
}

# What `finding:` may be, each with what it means.
FINDINGS = {
    "any": "with something to settle",
    "label": "probably of another class",
    "alone": "unlike all others under its label",
    "dark": "darker than its class",
    "blurred": "more blurred than its class",
    "cut-off": "goes on beyond its rim",
    "flat": "with less contrast than its class",
    "noisy": "noisier than its class",
    "bright": "brighter than its class",
    "tiny": "smaller than its class",
    "odd-shape": "of another shape than its class",
    "dismissed": "of which somebody said that it is no fault",
}

FLAGS = {
    "unlabelled": "without a label",
    "excluded": "taken out of dividing and training",
    "unsure": "marked as unsure",
    "noted": "with a note",
    "two-labels": "came in under two labels",
    "copies": "with copies that nobody has settled",
    "exact-copies": "with the same pixels as another",
    "differing-copies": "with copies under another label",
    "parted-copies": "with copies in another set",
    "wrong": "the run read it as another class",
    "right": "the run read it as its class",
    "judged": "the run was asked about it",
    "undecided": "the run says unsure of it",
    "wrong-today": "the run reads it as another class than its label of today",
    "right-today": "the run reads it as its label of today",
}
RUN_FLAGS = frozenset({"wrong", "right", "judged", "undecided", "wrong-today", "right-today"})

ORDERS = {
    "name": "by file name",
    "came": "in the order they came in",
    "changed": "by when somebody changed them",
    "size": "by bytes of the file",
    "side": "by the longer side",
    "brightness": "by mean brightness",
    "contrast": "by contrast, of what was ever judged",
    "sharpness": "by sharpness, of what was ever judged",
    "light": "by light, once looked at",
    "span": "by contrast from darkest to brightest, once looked at",
    "blur": "by blur, once looked at",
    "noise": "by noise, once looked at",
    "cut": "by how much goes on beyond the rim, once looked at",
    "finding": "by how strange it is: order:-finding",
    "class": "by the order of classes",
    "like": "by likeness to the chosen picture, most alike first",
    "p": "by the run's probability",
    "loss": "by the run's loss",
    "worth": "of what has no label: by what a label would teach the run",
}
RUN_ORDERS = frozenset({"p", "loss", "worth"})

JOINS = {"and": "both", "or": "at least one", "not": "the opposite"}


def quoted(name: str) -> str:
    """A name as it can always be written in a Sift."""
    doubled = name.replace('"', '""')
    return f'"{doubled}"'
