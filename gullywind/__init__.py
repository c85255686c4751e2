"""Gullywind lines up recordings of one event to one reference."""

import os

__version__ = "0.1.0"

# Before numpy is loaded, whoever loads it: a library's own threads for small matrix products wait by spinning, and fight
# with the processes that share the cores already.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
