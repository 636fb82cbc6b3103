"""What opening the first picture loads: once, in the process from which those that open files are forked.

Each of them would load it anew otherwise, for every source: a fifteenth of a second, as long as four hundred small
pictures take.
"""

import gc

import fsspec.implementations.local  # noqa: F401 - fsspec loads it with the first address
from PIL import Image

__all__ = []

# Pillow looks for all its formats as soon as one file is none that it knows already.
Image.init()
# What is here by now stays: looking through it for garbage would copy its pages into every process.
gc.collect()
gc.freeze()
