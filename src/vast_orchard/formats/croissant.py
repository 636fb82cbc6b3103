"""Croissant metadata (MLCommons, version 1.0) of a collection, as JSON-LD.

Source: the Croissant Format Specification 1.0, https://docs.mlcommons.org/croissant/docs/croissant-spec.html; the
context below is the one that it recommends.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

__all__ = ["DatasetFacts", "croissant"]

_CONTEXT: dict[str, Any] = {
    "@language": "en",
    "@vocab": "https://schema.org/",
    "citeAs": "cr:citeAs",
    "column": "cr:column",
    "conformsTo": "dct:conformsTo",
    "cr": "http://mlcommons.org/croissant/",
    "data": {"@id": "cr:data", "@type": "@json"},
    "dataType": {"@id": "cr:dataType", "@type": "@vocab"},
    "dct": "http://purl.org/dc/terms/",
    "extract": "cr:extract",
    "field": "cr:field",
    "fileObject": "cr:fileObject",
    "fileProperty": "cr:fileProperty",
    "fileSet": "cr:fileSet",
    "includes": "cr:includes",
    "isLiveDataset": "cr:isLiveDataset",
    "key": "cr:key",
    "recordSet": "cr:recordSet",
    "references": "cr:references",
    "sc": "https://schema.org/",
    "source": "cr:source",
}

# Columns of the table, what they hold, and how that is typed.
_FIELDS = (
    ("path", "sc:Text", "Where the picture lies, below this file"),
    ("label", "sc:Text", "Its class; empty: unlabelled"),
    ("set", "cr:Split", "The set it is in: training, validation or test; empty: none"),
    ("group", "sc:Text", "What belongs together and must not be divided among sets"),
    ("note", "sc:Text", "What a person noted"),
    ("name", "sc:Text", "Its file name when it came in"),
    ("sha256", "sc:Text", "SHA-256 of its bytes"),
    ("width", "sc:Integer", "Pixels, turned as its EXIF tag says"),
    ("height", "sc:Integer", "Pixels, turned as its EXIF tag says"),
    ("mode", "sc:Text", "How the file stores pixels"),
    ("format", "sc:Text", "Format of the file"),
    ("bytes", "sc:Integer", "Size of the file"),
    ("two_labels", "sc:Text", "yes: it came in under two labels"),
    ("came_at", "sc:Date", "When it came in first"),
    ("appearances", "sc:Text", "Every path that it came in under"),
    ("area", "sc:Text", "Which part of it counts, as JSON in fractions of its turned sides; empty: all of it"),
    ("mask", "sc:Text", "A PNG of its size that is 255 where it counts and 0 elsewhere; empty: all of it counts"),
)


@dataclass(frozen=True, kw_only=True)
class DatasetFacts:
    """What is said of the collection as a whole."""

    name: str
    description: str
    published: str  # ISO date
    version: str
    classes: Sequence[str]  # in their order
    creator: str = ""  # left out where empty: nobody can say it but the person
    licence: str = ""


def _table_field(column: str, kind: str, words: str) -> dict[str, Any]:
    found: dict[str, Any] = {
        "@type": "cr:Field",
        "@id": f"pictures/{column}",
        "name": column,
        "description": words,
        "dataType": kind,
        "source": {"fileObject": {"@id": "pictures.csv"}, "extract": {"column": column}},
    }
    if column == "label":
        found["references"] = {"field": {"@id": "classes/name"}}
    return found


def _classes(facts: DatasetFacts) -> dict[str, Any]:
    return {
        "@type": "cr:RecordSet",
        "@id": "classes",
        "name": "classes",
        "description": "The classes, in the order that every export lists",
        "dataType": "sc:Enumeration",
        "key": {"@id": "classes/name"},
        "field": [
            {"@type": "cr:Field", "@id": "classes/name", "name": "name", "dataType": "sc:Text"},
            {"@type": "cr:Field", "@id": "classes/place", "name": "place", "dataType": "sc:Integer"},
        ],
        "data": [{"classes/name": name, "classes/place": place} for place, name in enumerate(facts.classes)],
    }


def _pictures(answers: Sequence[tuple[str, str, str]]) -> dict[str, Any]:
    image = {
        "@type": "cr:Field",
        "@id": "pictures/image",
        "name": "image",
        "description": "The picture itself, found by its path",
        "dataType": "sc:ImageObject",
        "source": {"fileSet": {"@id": "picture-files"}, "extract": {"fileProperty": "content"}},
    }
    return {
        "@type": "cr:RecordSet",
        "@id": "pictures",
        "name": "pictures",
        "description": "One record a picture",
        "key": {"@id": "pictures/sha256"},
        "field": [*(_table_field(*entry) for entry in (*_FIELDS, *answers)), image],
    }


def croissant(
    facts: DatasetFacts,
    table_sha256: str,
    table_bytes: int,
    endings: Sequence[str],
    *,
    by_set: bool,
    answers: Sequence[tuple[str, str, str]] = (),
) -> dict[str, Any]:
    """The metadata as an object for JSON.

    Parameters
    ----------
    table_sha256, table_bytes
        Of `pictures.csv`, which lies beside.
    endings : sequence of str
        Of the picture files.
    answers : sequence of (str, str, str)
        Further columns of the table: name, type, what they hold.
    """
    found: dict[str, Any] = {
        "@context": _CONTEXT,
        "@type": "sc:Dataset",
        "conformsTo": "http://mlcommons.org/croissant/1.0",
        "name": facts.name,
        "description": facts.description,
        "datePublished": facts.published,
        "version": facts.version,
        "isLiveDataset": False,
        "distribution": [
            {
                "@type": "cr:FileObject",
                "@id": "pictures.csv",
                "name": "pictures.csv",
                "contentUrl": "pictures.csv",
                "contentSize": f"{table_bytes} B",
                "encodingFormat": "text/csv",
                "sha256": table_sha256,
            },
            {
                "@type": "cr:FileSet",
                "@id": "picture-files",
                "name": "picture-files",
                "description": "A folder for each class" + (" in a folder for each set" if by_set else ""),
                "encodingFormat": "image/*",
                "includes": [f"*/{'*/' if by_set else ''}*{ending}" for ending in endings],
            },
        ],
        "recordSet": [_classes(facts), _pictures(answers)],
    }
    if facts.creator:
        found["creator"] = {"@type": "sc:Person", "name": facts.creator}
    if facts.licence:
        found["license"] = facts.licence
    return found
