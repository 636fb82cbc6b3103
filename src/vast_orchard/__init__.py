"""Vast Orchard: from a heap of labelled pictures to a measured, exported network, on one ordinary machine."""

from vast_orchard.kernel_cache import use_kernel_cache

__version__ = "0.8.0"

__all__ = ["__version__"]

# Numba looks for its folder when the first kernel is imported, so no later place would do for all processes.
use_kernel_cache()
