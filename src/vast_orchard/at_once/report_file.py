"""A report as one file, with the thumbnails that it shows."""

from collections.abc import Mapping
from typing import Any

from vast_orchard.errors import MissingError
from vast_orchard.formats.report_page import report_page
from vast_orchard.store.bytes import ByteStore

__all__ = ["report_as_html"]


def report_as_html(facts: Mapping[str, Any], store: ByteStore) -> str:
    """HTML of a report; a picture whose bytes are gone stands there by its name."""
    thumbnails: dict[str, bytes] = {}
    for entry in facts["worst"]:
        try:
            thumbnails[entry["sha256"]] = store.read_thumbnail(entry["sha256"])
        except MissingError:
            continue
    return report_page(facts, thumbnails)
