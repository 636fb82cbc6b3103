"""`orchard bench`: what the engine does on this machine, beside an independent runtime and in memory."""

import json
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from vast_orchard.cli.bench_area import bench_area
from vast_orchard.cli.bench_chaos import bench_chaos
from vast_orchard.cli.bench_crowd import bench_crowd
from vast_orchard.cli.bench_defaults import bench_defaults
from vast_orchard.cli.bench_findings import bench_findings
from vast_orchard.cli.bench_hand_over import bench_hand_over
from vast_orchard.cli.bench_import import anonymous_mb, bench_import
from vast_orchard.cli.bench_judging import bench_judging
from vast_orchard.cli.bench_networks import NETWORKS
from vast_orchard.cli.bench_plans import bench_plans
from vast_orchard.cli.bench_ready import bench_networks
from vast_orchard.cli.bench_records import bench_records
from vast_orchard.cli.bench_rows import bench_rows
from vast_orchard.cli.bench_serving import bench_serving
from vast_orchard.cli.bench_starters import bench_starters
from vast_orchard.cli.bench_variations import bench_variations
from vast_orchard.cli.bench_watching import bench_watching
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.optimizers import Adam
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import Examples
from vast_orchard.errors import ServiceError
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.onnx_model import onnx_bytes
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings

__all__ = ["app", "engine", "memory"]

app = typer.Typer(no_args_is_help=True, help="Measure the engine on this machine.")

_BATCH = 64
_REPEATS = 5
_LEAST_S = 0.4  # of one repeat, so that a short step is repeated until it can be timed
_MATRIX = 2048


@dataclass(frozen=True, kw_only=True)
class _Sides:
    """What is timed for one network; each call does one batch."""

    train: Callable[[], object]
    infer: Callable[[], object]
    runtime: Callable[[], object]


def _runtime(network: Network, threads: int, pixels: Any) -> Callable[[], object]:
    import onnxruntime

    height, _, channels = network.description.input_shape
    model = Model(
        description=network.description,
        weights=network.state(),
        classes=tuple(f"class {n}" for n in range(network.classes)),
        preprocessing=Preprocessing(size=height, colour="rgb" if channels == 3 else "grey"),
        statistics=ChannelStatistics(mean=(127.5,) * channels, deviation=(73.6,) * channels),
    )
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = threads
    options.graph_optimization_level = onnxruntime.GraphOptimizationLevel.ORT_ENABLE_ALL
    session = onnxruntime.InferenceSession(onnx_bytes(model), options, providers=["CPUExecutionProvider"])
    return lambda: session.run(["probabilities"], {"pixels": pixels})


def _sides(description: NetworkDescription, team: Team) -> _Sides:
    random = np.random.default_rng(0)
    network = Network(description, 0, team=team)
    pixels = random.integers(0, 256, (_BATCH, *description.input_shape), dtype=np.uint8)
    x = ((pixels.astype(np.float32) - 127.5) / 73.6).astype(np.float32)
    targets = np.eye(network.classes, dtype=np.float32)[random.integers(0, network.classes, _BATCH)]
    optimizer = Adam()
    frozen = FrozenNetwork(network, team)

    def step() -> None:
        logits = network.forward(x, random)
        _, gradient = softmax_cross_entropy(logits, targets)
        network.backward(gradient)
        optimizer.step(network.parameters, network.gradients, 1e-4)

    return _Sides(train=step, infer=lambda: frozen.probabilities(x), runtime=_runtime(network, team.threads, pixels))


def _rate(work: Callable[[], object]) -> float:
    """Calls a second, over at least `_LEAST_S`."""
    began, calls = time.perf_counter(), 0
    while (spent := time.perf_counter() - began) < _LEAST_S or not calls:
        work()
        calls += 1
    return calls / spent


def _measure(description: NetworkDescription, team: Team) -> dict[str, Any]:
    sides = _sides(description, team)
    names = ("train", "infer", "runtime")
    for name in names:
        for _ in range(2):
            getattr(sides, name)()
    found: dict[str, list[float]] = {name: [] for name in names}
    for _ in range(_REPEATS):
        for name in names:
            found[name].append(_rate(getattr(sides, name)) * _BATCH)
    medians = {name: statistics.median(values) for name, values in found.items()}
    return {
        "name": description.name,
        **{f"{name}_images_per_s": round(value, 1) for name, value in medians.items()},
        "train_ratio": round(medians["train"] / medians["runtime"], 3),
        "infer_ratio": round(medians["infer"] / medians["runtime"], 3),
    }


def _matmul_gflops() -> float:
    a: FloatArray = np.random.default_rng(0).standard_normal((_MATRIX, _MATRIX), np.float32)
    out = np.empty_like(a)
    return statistics.median(_rate(lambda: np.matmul(a, a, out=out)) for _ in range(_REPEATS)) * 2 * _MATRIX**3 / 1e9


@app.command()
def engine(
    threads: Annotated[int, typer.Option(help="For both sides; 0 means one for each processor.")] = 0,
    only: Annotated[str, typer.Option(help="Measure only networks whose name holds this.")] = "",
    as_json: AsJson = False,
) -> None:
    """Training and inference throughput, beside an independent ONNX runtime on our own export."""
    words = console()
    make_ready(words.print)
    team = make_team(read_settings(threads=threads or None))
    found: dict[str, Any] = {"threads": team.threads, "matmul_gflops": round(_matmul_gflops(), 1), "networks": []}
    for make in NETWORKS:
        description = make()
        if only in description.name:
            words.print(f"Measuring {description.name}")
            found["networks"].append(_measure(description, team))
    if as_json:
        print(json.dumps(found))
        return
    print(f"{team.threads} threads; matrix products run at {found['matmul_gflops']:.0f} GFLOP/s.\n")
    heads = ("network", "training, images/s", "inference", "runtime's inference", "training ratio", "inference ratio")
    print(f"| {' | '.join(heads)} |\n|{'---|' * len(heads)}")
    for n in found["networks"]:
        rates = [f"{n[key]:,.0f}" for key in ("train_images_per_s", "infer_images_per_s", "runtime_images_per_s")]
        ratios = [f"{n[key]:.2f}" for key in ("train_ratio", "infer_ratio")]
        print(f"| {' | '.join((n['name'], *rates, *ratios))} |")


_SIDE = 48  # of the memory bench's pictures: the default input


def _write_pixels(path: Path, count: int) -> None:
    random = np.random.default_rng(0)
    pixels = np.lib.format.open_memmap(path, "w+", np.uint8, (count, _SIDE, _SIDE, 3))
    for start in range(0, count, 1000):
        part = pixels[start : start + 1000]
        part[:] = random.integers(0, 256, part.shape, dtype=np.uint8)
    pixels.flush()


def _peak_of_training(path: str, count: int, answer: Any) -> None:
    """In a fresh process: train one epoch on the file's pictures and tell the peak."""
    pixels = np.load(path, mmap_mode="r")
    labels, identities = np.arange(count) % 7, np.arange(count, dtype=np.uint64)
    cut = count * 4 // 5
    training, validation = (
        Examples(pixels=pixels[part], labels=labels[part], identities=identities[part])
        for part in (slice(0, cut), slice(cut, count))
    )
    peak = 0.0
    recipe = Recipe(settings=TrainingSettings(epochs=1))
    running = begin(recipe, 7, training, validation, team=make_team(read_settings()))
    for _ in running.results:
        peak = max(peak, anonymous_mb())
    answer.put(peak)


@app.command()
def memory(
    as_json: AsJson = False,
) -> None:
    """Peak of anonymous memory while training on few and on many pictures, which stay in a memory-mapped file."""
    words = console()
    make_ready(words.print)
    found: dict[str, Any] = {"pictures": [], "peak_anonymous_mb": []}
    processes = get_context("spawn")
    with tempfile.TemporaryDirectory() as folder:
        for count in (2_000, 50_000):
            words.print(f"Training on {count:,} pictures")
            path = Path(folder) / f"{count}.npy"
            _write_pixels(path, count)
            answer = processes.SimpleQueue()
            process = processes.Process(target=_peak_of_training, args=(str(path), count, answer))
            process.start()
            process.join()
            if process.exitcode:
                raise ServiceError(f"The training ended with code {process.exitcode}.", "See its words above.")
            found["pictures"].append(count)
            found["peak_anonymous_mb"].append(round(answer.get(), 1))
            path.unlink()
    few, many = found["peak_anonymous_mb"]
    found["difference"] = round(many / few - 1, 4)
    if as_json:
        print(json.dumps(found))
        return
    print(f"Peak anonymous memory: {few:.0f} MB with 2,000 pictures, {many:.0f} MB with 50,000.")


app.command("area")(bench_area)
app.command("chaos")(bench_chaos)
app.command("crowd")(bench_crowd)
app.command("defaults")(bench_defaults)
app.command("hand-over")(bench_hand_over)
app.command("serving")(bench_serving)
app.command("import")(bench_import)
app.command("networks")(bench_networks)
app.command("records")(bench_records)
app.command("rows")(bench_rows)
app.command("starters")(bench_starters)
app.command("variations")(bench_variations)
app.command("findings")(bench_findings)
app.command("plans")(bench_plans)
app.command("watching")(bench_watching)
app.command("judging")(bench_judging)
