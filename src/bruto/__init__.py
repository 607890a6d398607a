import os

# Matrices here are small, and the kernels keep the cores busy: a second pool of threads would only wait. Read by
# OpenBLAS when NumPy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
