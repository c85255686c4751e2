"""The command line: one module per command."""

import os

# Before numpy is loaded: its threads for small matrix products wait by spinning, and made a batch on two processes take
# a third longer (6.0 s against 4.4 s for eight pairs of 4 minutes).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
