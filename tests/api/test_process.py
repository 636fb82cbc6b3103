"""What the API process may be: small, and without the numerics of others."""

import subprocess
import sys
from dataclasses import replace

from tests.world import World
from vast_orchard.jobs.quick.process import QuickProcess


def test_the_api_imports_no_compiled_numerics_but_numpy() -> None:
    script = (
        "import sys; import vast_orchard.api.app; from vast_orchard.settings import Settings\n"
        "vast_orchard.api.app.create_app(Settings())\n"
        "print([name for name in ('numba', 'scipy', 'onnx', 'onnxruntime', 'PIL') if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_limit_of_a_preview_does_not_count_the_start_of_its_process(world: World) -> None:
    # Importing the numerics alone takes longer than this limit of a second.
    quick = QuickProcess(replace(world.context.settings, quick_limit_s=1))
    try:
        assert quick.run("sheet", pictures=[(1, "")], side=12, columns=1).startswith(b"\x89PNG")
    finally:
        quick.close()
