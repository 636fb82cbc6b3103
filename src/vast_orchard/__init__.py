"""Vast Orchard: from a heap of labelled pictures to a measured, exported network, on one ordinary machine."""

__version__ = "0.1.0"

__all__ = ["__version__"]
