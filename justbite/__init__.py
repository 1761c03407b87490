"""Just Bite's core: part in, bite, path, proof, NC out. Imports nothing of Django."""

import os

# Matrices are small here: a second thread of the linear algebra gains nothing, and beside a plan that uses all cores it
# only waits (a bite took 5 to 12 s, and takes half a second). It is read when numpy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
