"""`orchard demo` writes the snow-crystal collection; `orchard bucket` and `orchard hook` play services outside."""

from pathlib import Path
from typing import Annotated

import typer
from rich.progress import Progress

from vast_orchard.cli.terminal import console
from vast_orchard.demo.plan import Faults
from vast_orchard.demo.write import (
    DEFAULT_COUNT,
    DEFAULT_SEED,
    PICTURES_FOLDER,
    PLANTED_FILE,
    write_collection,
)
from vast_orchard.errors import SettingError

__all__ = ["bucket", "demo", "hook"]


def demo(
    folder: Annotated[Path, typer.Argument(help="Folder to write into; must be new or empty.")],
    count: Annotated[int, typer.Option(help="Labelled pictures; 70 to 1,000,000.")] = DEFAULT_COUNT,
    seed: Annotated[int, typer.Option(help="The same seed draws the same crystals.")] = DEFAULT_SEED,
    faultless: Annotated[bool, typer.Option(help="Plants no wrong label, copy, blurred, dark or broken file.")] = False,
    blur: Annotated[float, typer.Option(help="Radius of the planted blur; up to 1.2 is natural.")] = Faults.blur,
    dim: Annotated[float, typer.Option(help="Light of the planted dark ones; from 0.75 is natural.")] = Faults.dim,
    png_class: Annotated[str, typer.Option(help="A class whose files are all PNG, which gives it away.")] = "",
) -> None:
    """Write made-up snow crystals as a folder a class, and the list of planted faults beside them."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise SettingError(f"{folder} is not an empty folder.", "Name a new one.")
    faults = Faults(planted=not faultless, blur=blur, dim=dim, png_class=png_class)
    with Progress(console=console()) as bar:
        task = bar.add_task("Drawing crystals", total=count)

        def tell(done: int, total: int) -> None:
            bar.update(task, completed=done, total=total)

        write_collection(folder, count, seed, faults=faults, progress=tell)
    print(f"Pictures: {folder / PICTURES_FOLDER}")
    print(f"What was planted: {folder / PLANTED_FILE}")


def bucket(
    folder: Annotated[Path, typer.Argument(help="Folder whose folders are served as buckets.")],
    port: Annotated[int, typer.Option(help="Port on loopback.")] = 9000,
    key: Annotated[str, typer.Option(help="Name of the key that is let in; empty lets in everybody.")] = "",
) -> None:
    """Serve folders as an S3-compatible service would, to try bringing in from a bucket. Ctrl-C stops it."""
    import uvicorn

    from vast_orchard.demo.bucket import StandIn, stand_in_app

    if not folder.is_dir():
        raise SettingError(f"{folder} is not a folder.", "Name one that is there.")
    print(f"VAST_ORCHARD_BUCKET_URL=http://127.0.0.1:{port}")
    uvicorn.run(stand_in_app(StandIn(folder=folder, key=key)), host="127.0.0.1", port=port, log_level="warning")


def hook(port: Annotated[int, typer.Option(help="Port on loopback.")] = 9100) -> None:
    """Print what a web hook is told, to try it. Ctrl-C stops it."""
    import uvicorn

    from vast_orchard.demo.hook import Receiver, Word, receiver_app

    def show(word: Word) -> None:
        print(f"{word.headers.get('webhook-id')} {word.headers.get('webhook-signature', 'not signed')}")
        print(word.body.decode(), flush=True)

    print(f"VAST_ORCHARD_HOOK_URL=http://127.0.0.1:{port}/ VAST_ORCHARD_OUTGOING_ALLOWED=127.0.0.1:{port}", flush=True)
    uvicorn.run(receiver_app(Receiver(heard=show)), host="127.0.0.1", port=port, log_level="warning")
