"""The training loop as a generator: it yields results, can be closed between them, and goes on from a state."""

from collections.abc import Iterator

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.core.pictures.standardise import ChannelStatistics, standardise
from vast_orchard.core.pictures.variation import Variation, vary
from vast_orchard.core.team import Team
from vast_orchard.core.training.optimizers import make_optimizer
from vast_orchard.core.training.schedule import cosine_rate
from vast_orchard.core.training.values import (
    EpochMetrics,
    EpochResult,
    Examples,
    StepResult,
    TrainingSettings,
    TrainingState,
)
from vast_orchard.errors import NonFiniteError, ShapeError

__all__ = ["predict", "train"]

# Pictures judged at a time; it bounds memory and does not change the result.
_JUDGE_BATCH = 64


def predict(network: Network, pixels: Array, statistics: ChannelStatistics, team: Team | None = None) -> FloatArray:
    """Probabilities of shape (N, K) for 8-bit pictures of shape (N, H, W, C)."""
    frozen = FrozenNetwork(network, team)
    parts = [
        frozen.probabilities(standardise(pixels[start : start + _JUDGE_BATCH], statistics))
        for start in range(0, len(pixels), _JUDGE_BATCH)
    ]
    return np.concatenate(parts)


def _one_hot(labels: Array, classes: int) -> FloatArray:
    return np.eye(classes, dtype=np.float32)[labels]


def _validate(network: Network, examples: Examples, statistics: ChannelStatistics, classes: int) -> tuple[float, float]:
    losses, right = 0.0, 0
    for start in range(0, len(examples), _JUDGE_BATCH):
        part = slice(start, start + _JUDGE_BATCH)
        logits = network.forward(standardise(examples.pixels[part], statistics))
        rows, _ = softmax_cross_entropy(logits, _one_hot(examples.labels[part], classes))
        losses += float(rows.sum(dtype=np.float64))
        right += int((logits.argmax(axis=1) == examples.labels[part]).sum())
    return losses / len(examples), right / len(examples)


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
    validation: Examples,
    statistics: ChannelStatistics,
    variation: Variation,
    settings: TrainingSettings,
    state: TrainingState | None = None,
) -> Iterator[StepResult | EpochResult]:
    """Train `network` in place, one yielded result a batch and one an epoch.

    Every random choice is drawn from the seed, the epoch and the place in it, never from what went before; so a
    training that goes on from an epoch's state ends with the same weights as one that was never interrupted.

    Parameters
    ----------
    network : Network
        Freshly built from `settings.seed`; its last layer gives one logit a class.
    training, validation : Examples
    statistics : ChannelStatistics
        Of the training pictures.
    variation : Variation
        Applied to training pictures only.
    settings : TrainingSettings
    state : TrainingState, optional
        Of the last epoch to keep; training goes on after it.

    Yields
    ------
    StepResult or EpochResult

    Raises
    ------
    NonFiniteError
        The loss became infinite or not a number.
    ShapeError
        A set is empty or a label is out of range.
    """
    classes = network.forward(standardise(training.pixels[:1], statistics)).shape[1]
    _check_labels("training", training, classes)
    _check_labels("validation", validation, classes)
    state = state or TrainingState()
    optimizer = make_optimizer(settings.optimizer)
    if state.epoch:
        network.load(state.network)
        optimizer.load(state.optimizer)
    steps = -(-len(training) // settings.batch_size)
    for epoch in range(state.epoch + 1, settings.epochs + 1):
        order = np.random.default_rng([settings.seed, epoch, 0]).permutation(len(training))
        losses, right, rate = 0.0, 0, 0.0
        for step in range(steps):
            # Sorted within the batch, so that a memory-mapped array is read forwards.
            chosen = np.sort(order[step * settings.batch_size : (step + 1) * settings.batch_size])
            rate = cosine_rate((epoch - 1) * steps + step, settings.epochs * steps, settings.learning_rate)
            pixels = vary(training.pixels[chosen], training.identities[chosen], variation, settings.seed, epoch)
            logits = network.forward(
                standardise(pixels, statistics), np.random.default_rng([settings.seed, epoch, step + 1])
            )
            rows, gradient = softmax_cross_entropy(logits, _one_hot(training.labels[chosen], classes))
            loss = float(rows.mean())
            if not np.isfinite(loss):
                raise NonFiniteError(
                    f"The loss became {loss} in epoch {epoch}, step {step + 1}.",
                    f"Lower the learning rate, now {settings.learning_rate:g}, to a third of it.",
                )
            network.backward(gradient)
            optimizer.step(network.parameters, network.gradients, rate)
            losses += float(rows.sum(dtype=np.float64))
            right += int((logits.argmax(axis=1) == training.labels[chosen]).sum())
            yield StepResult(epoch=epoch, step=step + 1, steps=steps, loss=loss)
        yield _end_epoch(
            network,
            state,
            optimizer.state(),
            epoch,
            (
                losses / len(training),
                right / len(training),
                *_validate(network, validation, statistics, classes),
                rate,
            ),
        )


def _end_epoch(
    network: Network,
    state: TrainingState,
    optimizer: dict[str, Array],
    epoch: int,
    figures: tuple[float, float, float, float, float],
) -> EpochResult:
    training_loss, training_accuracy, validation_loss, validation_accuracy, rate = figures
    if not np.isfinite(validation_loss):
        raise NonFiniteError(
            f"The validation loss became {validation_loss} in epoch {epoch}.",
            "Lower the learning rate to a third.",
        )
    metrics = EpochMetrics(
        number=epoch,
        training_loss=training_loss,
        training_accuracy=training_accuracy,
        validation_loss=validation_loss,
        validation_accuracy=validation_accuracy,
        learning_rate=rate,
    )
    state.epoch, state.network, state.optimizer = epoch, network.state(), optimizer
    state.history.append(metrics)
    kept = validation_loss < state.best_loss
    if kept:
        state.best, state.best_epoch, state.best_loss = state.network, epoch, validation_loss
    return EpochResult(metrics=metrics, kept=kept, state=state)
