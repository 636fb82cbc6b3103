"""What the API process may be: small, and without the numerics of others."""

import subprocess
import sys


def test_the_api_imports_no_compiled_numerics_but_numpy() -> None:
    script = (
        "import sys; import vast_orchard.api.app; from vast_orchard.settings import Settings\n"
        "vast_orchard.api.app.create_app(Settings())\n"
        "print([name for name in ('numba', 'scipy', 'onnx', 'onnxruntime', 'PIL') if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
