"""Gullywind lines up recordings of one event to one reference."""

import os

__version__ = "0.1.0"

# Before numpy is loaded, whoever loads it: its threads for small matrix products wait by spinning, and fight with the
# processes that share the cores already (placing 72 recordings took half as long again).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
