"""What a serving process has counted since it was started, read as Prometheus would."""

import ssl
import urllib.error
import urllib.request
from collections import defaultdict
from typing import Any

from prometheus_client.parser import text_string_to_metric_families

__all__ = ["figures_of", "read_figures"]

_PATIENCE_S = 1.0


def read_figures(address: str, secret: str, certificate: str = "") -> str | None:
    """The figures of the process at an address; None if it is not there.

    Parameters
    ----------
    address, secret : str
    certificate : str
        PEM file of the one that it answers with, and the only one that is believed here; empty: no TLS.
    """
    asked = urllib.request.Request(f"{address}/metrics", headers={"Authorization": f"Bearer {secret}"})
    try:
        with urllib.request.urlopen(asked, timeout=_PATIENCE_S, context=_only(certificate)) as answer:
            text: str = answer.read().decode()
    except (OSError, urllib.error.URLError, ValueError):
        return None
    return text


def _only(certificate: str) -> ssl.SSLContext | None:
    if not certificate:
        return None
    context = ssl.create_default_context(cafile=certificate)
    # It is known by itself: it need not hold for the name by which this machine asks it, nor lead to a known issuer.
    context.check_hostname = False
    context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    return context


def figures_of(text: str) -> tuple[list[dict[str, Any]], dict[str, int]]:
    """By model and version what was asked of it, and how many requests were refused, by status.

    Parameters
    ----------
    text : str
        In the text form of Prometheus.
    """
    models: dict[tuple[str, str], dict[str, Any]] = defaultdict(
        lambda: {"pictures": 0, "unsure": 0, "answers": {}, "requests": 0, "buckets": []}
    )
    refused: dict[str, int] = {}
    for family in text_string_to_metric_families(text):
        for name, labels, value, *_ in family.samples:
            if name == "orchard_refused_total":
                refused[labels["status"]] = int(value)
            if "model" not in labels:
                continue
            found = models[labels["model"], labels["version"]]
            match name:
                case "orchard_pictures_total":
                    found["pictures"] = int(value)
                case "orchard_unsure_total":
                    found["unsure"] = int(value)
                case "orchard_answers_total":
                    found["answers"][labels["answer"]] = int(value)
                case "orchard_request_seconds_count":
                    found["requests"] = int(value)
                case "orchard_request_seconds_bucket":
                    found["buckets"].append((float(labels["le"]), int(value)))
    told = []
    for (model, version), found in sorted(models.items()):
        buckets = sorted(found.pop("buckets"))
        told.append({"model": model, "version": int(version), **found, "within_s": _within(buckets)})
    return told, refused


def _within(buckets: list[tuple[float, int]]) -> float | None:
    """The bound that nineteen of twenty answers stayed below; None where there is none."""
    count = buckets[-1][1] if buckets else 0
    bound = next((bound for bound, below in buckets if below >= 0.95 * count), None) if count else None
    return None if bound is None or bound == float("inf") else bound
