"""What keeps the libraries that count to one thread; to be set before any of them is loaded."""

ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "MKL_NUM_THREADS": "1"}
