"""What is counted of serving, as Prometheus reads it."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from prometheus_client import CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import Metric
from prometheus_client.registry import Collector

__all__ = ["Figures"]

_MODEL = ("model", "version")
_SECONDS = (0.002, 0.005, 0.01, 0.02, 0.03, 0.06, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0)


class Figures:
    """Counters of one process."""

    def __init__(self) -> None:
        self._registry = CollectorRegistry()
        self.pictures = Counter("orchard_pictures", "Pictures that were answered.", _MODEL, registry=self._registry)
        self.answers = Counter(
            "orchard_answers", "Answers by class; an unsure one counts for its likeliest.", (*_MODEL, "answer"),
            registry=self._registry,
        )  # fmt: skip
        self.unsure = Counter("orchard_unsure", "Answers that were unsure.", _MODEL, registry=self._registry)
        self.refused = Counter(
            "orchard_refused", "Requests that were refused, by status.", ("status",), registry=self._registry
        )
        self.seconds = Histogram(
            "orchard_request_seconds", "From the whole body to the answer.", _MODEL, buckets=_SECONDS,
            registry=self._registry,
        )  # fmt: skip

    def text(self, models: Collection[str] | None = None) -> bytes:
        """In the text form that is read at /metrics; of the models named, or of all."""
        if models is None:
            return generate_latest(self._registry)
        some = CollectorRegistry()
        some.register(_Some(self._registry, models))
        return generate_latest(some)


@dataclass(eq=False)
class _Some(Collector):
    """What was counted of some models, and of none in particular."""

    registry: CollectorRegistry
    models: Collection[str]

    def collect(self) -> Iterator[Metric]:
        for metric in self.registry.collect():
            metric.samples = [one for one in metric.samples if one.labels.get("model", "") in {"", *self.models}]
            yield metric
