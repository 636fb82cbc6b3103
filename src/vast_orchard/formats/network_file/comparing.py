"""Holds a network file against what was read of it: an independent runtime answers, in a limited process of its own."""

import subprocess
import sys
import tempfile
from importlib.resources import files
from pathlib import Path

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import InputError

__all__ = ["runtime_answers"]

_LIMIT_S = 60


def runtime_answers(name: str, content: bytes, fed: Array, *, softmax: bool) -> FloatArray:
    """What the independent runtime makes of the file's own graph.

    It runs in a process of its own, with its memory and its time limited and nothing of this one.

    Parameters
    ----------
    name : str
        Of the file.
    content : bytes
        The ONNX file.
    fed : ndarray, shape (N, …)
        As the graph takes it.
    softmax : bool
        Whether the graph gives probabilities; else a softmax is put behind.

    Returns
    -------
    ndarray, shape (N, K), float64

    Raises
    ------
    InputError
        It fails or takes too long.
    """
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        (folder / "model.onnx").write_bytes(content)
        np.save(folder / "fed.npy", fed, allow_pickle=False)
        program = folder / "run.py"
        program.write_text(files("vast_orchard.formats.network_file").joinpath("run_graph.txt").read_text("utf-8"))
        command = [sys.executable, "-I", str(program), str(folder)]
        try:
            done = subprocess.run(command, capture_output=True, text=True, timeout=_LIMIT_S, check=False, cwd=folder)
        except subprocess.TimeoutExpired as error:
            raise InputError(f"{name} takes over {_LIMIT_S} s for a few pictures.", "Choose a smaller one.") from error
        if done.returncode or not (folder / "made.npy").exists():
            last = (done.stderr or "").strip().splitlines()[-1:]
            raise InputError(
                f"The independent runtime cannot run {name}: {' '.join(last)[-300:] or 'it ended by itself'}",
                "Export it anew.",
            )
        made = np.load(folder / "made.npy", allow_pickle=False)
    flat: FloatArray = made.reshape(len(fed), -1).astype(np.float64)
    if softmax:
        # Of logarithms of probabilities too this makes probabilities.
        return np.exp(flat) if (flat < 0).any() else flat
    powers = np.exp(flat - flat.max(axis=1, keepdims=True))
    return powers / powers.sum(axis=1, keepdims=True)
