"""Stathmis: a hatching keeper's bench for instruments, batches and judgement."""

import os

# matrices here are small: threads that share one wait for each other longer than they reckon; read as NumPy loads
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
