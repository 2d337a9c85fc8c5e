"""Lumenar: measure every picture mode of a display, score it, publish it so that anyone can recompute it."""

import os

__version__ = "0.3.0"

# The matrices here are small. With threads of its own the linear algebra library keeps a second core spinning for
# nothing, beside everything else that the server does.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
