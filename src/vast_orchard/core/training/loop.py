"""The training loop as a generator: it yields results, can be closed between them, and goes on from a state."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.scores import macro_f1, recalls
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.ops.softmax import soft_targets, softmax, softmax_cross_entropy
from vast_orchard.core.pictures.showing import ShownPictures
from vast_orchard.core.pictures.standardise import ChannelStatistics, standardise
from vast_orchard.core.pictures.variation import Variation
from vast_orchard.core.sets.epoch_order import epoch_order, stretch_order
from vast_orchard.core.team import Team
from vast_orchard.core.training.course import Course
from vast_orchard.core.training.endings import check_endings
from vast_orchard.core.training.frozen_part import FrozenPart
from vast_orchard.core.training.kept import is_better
from vast_orchard.core.training.optimizers import Optimizer, clip_by_norm, gradient_norm, make_optimizer
from vast_orchard.core.training.phases import Phase, phases_of
from vast_orchard.core.training.repeated import Repeated
from vast_orchard.core.training.settings import ClassWeights, TrainingSettings
from vast_orchard.core.training.values import EpochMetrics, EpochResult, Examples, StepResult, TrainingState
from vast_orchard.core.watching.history import Watched, answers_of
from vast_orchard.core.watching.recording import LayerRecorder
from vast_orchard.core.watching.step_line import StepLine
from vast_orchard.core.watching.watch import Watch
from vast_orchard.errors import NonFiniteError, ShapeError

__all__ = ["logits_of", "predict", "train"]

# Pictures judged at a time; it bounds memory and does not change the result.
_JUDGE_BATCH = 64


def predict(network: Network, pixels: Array, statistics: ChannelStatistics, team: Team | None = None) -> FloatArray:
    """Probabilities of pictures in a network's present state.

    Parameters
    ----------
    network : Network
    pixels : ndarray, shape (N, H, W, C), uint8
    statistics : ChannelStatistics
    team : Team, optional

    Returns
    -------
    ndarray, shape (N, K), float32
    """
    return softmax(logits_of(network, pixels, statistics, team))


def logits_of(network: Network, pixels: Array, statistics: ChannelStatistics, team: Team | None = None) -> FloatArray:
    """As `predict`, before the softmax: (N, K), float32, for pixels of shape (N, H, W, C), uint8."""
    frozen = FrozenNetwork(network, team)
    parts = [
        frozen.logits(standardise(pixels[start : start + _JUDGE_BATCH], statistics, team))
        for start in range(0, len(pixels), _JUDGE_BATCH)
    ]
    return np.concatenate(parts)


def _validate(
    network: Network, examples: Examples, part: FrozenPart, known: FloatArray | None, team: Team
) -> tuple[dict[str, float], Array]:
    """Plain figures, neither smoothed nor weighted, and the confusion matrix."""
    frozen, classes = FrozenNetwork(network, team, after=network.learning.cut), network.classes
    losses, confusion = 0.0, np.zeros((classes, classes), np.int64)
    for start in range(0, len(examples), _JUDGE_BATCH):
        chosen = slice(start, start + _JUDGE_BATCH)
        labels = examples.labels[chosen]
        logits = frozen.logits(part.values(examples.pixels[chosen]) if known is None else known[chosen])
        rows, _ = softmax_cross_entropy(logits, soft_targets(labels, classes))
        losses += float(rows.sum(dtype=np.float64))
        np.add.at(confusion, (labels, logits.argmax(axis=1)), 1)
    figures = {
        "validation_loss": losses / len(examples),
        "validation_accuracy": int(np.trace(confusion)) / len(examples),
        "validation_macro_f1": macro_f1(confusion),
    }
    return figures, confusion


def _class_weights(labels: Array, classes: int, settings: TrainingSettings) -> FloatArray:
    """What a picture of each class counts; balanced ones are N / (K · pictures of the class)."""
    if settings.class_weights is ClassWeights.NONE:
        return np.ones(classes)
    return len(labels) / (classes * np.maximum(np.bincount(labels, minlength=classes), 1))


def _check_labels(name: str, examples: Examples, classes: int) -> None:
    if not len(examples):
        raise ShapeError(f"The {name} set is empty.", "Divide the pictures so that it holds some.")
    if examples.labels.min() < 0 or examples.labels.max() >= classes:
        raise ShapeError(
            f"The {name} labels reach from {examples.labels.min()} to {examples.labels.max()}.",
            f"Labels of {classes} classes are 0 to {classes - 1}.",
        )


def train(
    network: Network,
    training: Examples,
    validation: Examples | None,
    statistics: ChannelStatistics,
    variation: Variation,
    settings: TrainingSettings,
    state: TrainingState | None = None,
    team: Team | None = None,
    phases: Sequence[Phase] = (),
    watch: Watch | None = None,
    repeated: Repeated | None = None,
) -> Iterator[StepResult | EpochResult]:
    """Train `network` in place, one yielded result a batch and one an epoch.

    Every random choice is drawn from the seed, the epoch and the place in it, never from what went before; so a
    training that goes on from an epoch's state ends with the same weights as one that was never interrupted.

    Parameters
    ----------
    network : Network
        Freshly built from `settings.seed`, what is taken over in its place; its last layer gives one logit a class.
    training : Examples
    validation : Examples or None
        Without any the last state is the one to keep.
    statistics : ChannelStatistics
        Of the training pictures.
    variation : Variation
        Applied to training pictures only.
    settings : TrainingSettings
    state : TrainingState, optional
        Of the last epoch to keep; training goes on after it.
    team : Team, optional
        Threads that prepare and judge pictures; the network has its own.
    phases : sequence of Phase
        One after the other; all layers learn in all epochs by default.
    watch : Watch, optional
        What of the layers is recorded; it changes no bit of the result. Nothing by default.
    repeated : Repeated, optional
        An earlier training whose course is gone through again, its epochs with as many steps as they had there.

    Yields
    ------
    StepResult or EpochResult

    Raises
    ------
    NonFiniteError
        A layer's values, the loss or a gradient became infinite or not a number.
    ShapeError
        A set is empty or a label is out of range.
    SettingError
        It would end by a figure of a validation set that there is not.
    """
    _check_labels("training", training, network.classes)
    if validation is not None:
        _check_labels("validation", validation, network.classes)
    check_endings(settings, validated=validation is not None)
    state, team = state or TrainingState(), team or Team(1)
    if state.epoch:
        network.load(state.network)
    data = _Data(
        training=training, validation=validation, statistics=statistics, variation=variation, team=team,
        watch=watch or Watch(every=0), repeated=repeated,
    )  # fmt: skip
    for phase in phases or phases_of(None, None, network.description, settings.epochs):
        if phase.last > state.epoch:
            for result in _train_phase(network, data, settings, phase, state):
                yield result
                if isinstance(result, EpochResult):
                    state = result.state


@dataclass(frozen=True, kw_only=True, eq=False)
class _Data:
    training: Examples
    validation: Examples | None
    statistics: ChannelStatistics
    variation: Variation
    team: Team
    watch: Watch
    repeated: Repeated | None

    def steps(self, settings: TrainingSettings) -> int:
        """Of an epoch."""
        return self.repeated.epoch_steps if self.repeated else -(-len(self.training) // settings.batch_size)

    def order(self, settings: TrainingSettings, epoch: int) -> tuple[Array, Array]:
        """Places of the pictures that an epoch shows, and how often each was shown before in it."""
        if self.repeated is None:
            return epoch_order(self.training.labels, settings.seed, epoch, settings.class_draws)
        count = self.repeated.epoch_steps * settings.batch_size
        return stretch_order(self.training.labels, settings.seed, epoch, count, settings.class_draws)


def _train_phase(
    network: Network, data: _Data, settings: TrainingSettings, phase: Phase, state: TrainingState
) -> Iterator[StepResult | EpochResult]:
    """The epochs of a phase that come after `state`."""
    training, team = data.training, data.team
    network.let_learn(phase.learning)
    optimizer = make_optimizer(settings)
    if state.epoch >= phase.first:
        optimizer.load(state.optimizer)
    course = Course(phase, settings, data.steps(settings), state, data.repeated.met if data.repeated else None)
    steps = course.steps
    weights = _class_weights(training.labels, network.classes, settings)
    pictures = ShownPictures(training.pixels.__getitem__, training.identities, data.variation, settings.seed, team)
    part = FrozenPart(network, data.statistics, team)
    known = None if data.variation.operations else part.remembered(training.pixels)
    judged = None if data.validation is None else part.remembered(data.validation.pixels)
    recorder = LayerRecorder(network, data.watch, steps)
    for epoch in course.epochs(max(state.epoch + 1, phase.first)):
        line = StepLine(steps)
        order, repeats = data.order(settings, epoch)
        losses, right, rate = 0.0, 0, 0.0
        for step in range(steps):
            place = slice(step * settings.batch_size, (step + 1) * settings.batch_size)
            # Sorted within the batch, so that a memory-mapped array is read forwards.
            forwards = np.argsort(order[place], kind="stable")
            chosen = order[place][forwards]
            rate = course.rate(epoch, step)
            labels = training.labels[chosen]
            if known is None:
                shown = pictures.show(chosen, epoch, repeats[place][forwards])
                x, shares, partners = part.values(shown.pixels), shown.shares, shown.partners
            else:
                x, shares, partners = known[chosen], np.zeros(len(chosen)), chosen
            random = np.random.default_rng([settings.seed, epoch, step + 1])
            logits = network.forward(x, random)
            # Before the loss, which would only warn about what it cannot compute with.
            if not np.isfinite(logits).all():
                raise _lost(network.first_lost() or "a logit", epoch, step + 1, settings)
            mixed = (shares, training.labels[partners], labels, weights)
            targets, row_weights = _targets(*mixed, settings.label_smoothing)
            rows, gradient = softmax_cross_entropy(logits, targets, row_weights)
            if settings.label_smoothing:  # what is told is of the labels as they are, as validation's is
                rows, _ = softmax_cross_entropy(logits, _targets(*mixed, 0.0)[0])
            loss = float(rows.mean(dtype=np.float64))
            if not np.isfinite(loss):
                raise _lost("the loss", epoch, step + 1, settings)
            network.backward(gradient)
            _clip(network, epoch, step + 1, settings)
            measured = recorder.due(epoch, step + 1)
            if measured:
                recorder.before()
            optimizer.step(network.learning_parameters, network.gradients, rate, phase.factors)
            if measured:
                recorder.after()
            line.add(loss)
            losses += loss * len(rows)
            right += int((logits.argmax(axis=1) == labels).sum())
            yield StepResult(epoch=epoch, step=step + 1, steps=steps, loss=loss)
        figures = {"training_loss": losses / len(order), "training_accuracy": right / len(order)}
        by_class: tuple[float | None, ...] = ()
        watched = Watched(losses=line.points(), layers=recorder.take())
        if data.validation is not None:
            validated, confusion = _validate(network, data.validation, part, judged, team)
            figures |= validated
            by_class, watched = recalls(confusion), replace(watched, answers=answers_of(confusion))
        metrics = EpochMetrics(number=epoch, figures={**figures, "learning_rate": rate}, recalls=by_class)
        result = replace(_end_epoch(metrics, network, optimizer, state, settings), watched=watched)
        state = result.state
        course.look(state)
        yield replace(result, last=course.last_of_all)


def _targets(
    shares: Array, others: Array, labels: Array, weights: FloatArray, smoothing: float
) -> tuple[FloatArray, FloatArray]:
    """What a batch should be taken for, (N, K), and what each row counts; both shared out as the pictures are."""
    targets, counts = soft_targets(labels, len(weights), smoothing), weights[labels]
    if shares.any():
        share = shares.astype(np.float32)[:, None]
        targets = targets * (1 - share) + soft_targets(others, len(weights), smoothing) * share
        counts = counts * (1 - shares) + weights[others] * shares
    return targets, counts


def _lost(where: str, epoch: int, step: int, settings: TrainingSettings) -> NonFiniteError:
    return NonFiniteError(
        f"In epoch {epoch}, step {step}, {where} left the numbers: infinity or not-a-number.",
        f"Lower the learning rate, now {settings.learning_rate:g}, to a third of it.",
    )


def _clip(network: Network, epoch: int, step: int, settings: TrainingSettings) -> None:
    norm = gradient_norm(network.gradients)
    if not np.isfinite(norm):
        lost = next(name for name, value in network.gradients.items() if not np.isfinite(gradient_norm({name: value})))
        raise _lost(f"the gradient of {lost}", epoch, step, settings)
    if settings.clip_norm:
        clip_by_norm(network.gradients, norm, settings.clip_norm)


def _end_epoch(
    metrics: EpochMetrics, network: Network, optimizer: Optimizer, before: TrainingState, settings: TrainingSettings
) -> EpochResult:
    validation_loss = metrics.figures.get("validation_loss", 0.0)
    if not np.isfinite(validation_loss):
        raise NonFiniteError(
            f"The validation loss became {validation_loss} in epoch {metrics.number}.",
            "Lower the learning rate to a third.",
        )
    weights = network.state()
    kept_before = before.history[before.kept_epoch - 1] if before.kept_epoch else None
    kept = is_better(metrics, kept_before, settings.keep)
    state = TrainingState(
        epoch=metrics.number,
        network=weights,
        optimizer=optimizer.state(),
        kept=weights if kept else before.kept,
        kept_epoch=metrics.number if kept else before.kept_epoch,
        history=(*before.history, metrics),
    )
    return EpochResult(metrics=metrics, kept=kept, state=state, last=settings.epochs)
