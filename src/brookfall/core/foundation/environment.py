"""What the numbers were computed with: the same environment gives the same bits."""

import hashlib
import platform
from functools import cache
from importlib.metadata import version
from pathlib import Path

import threadpoolctl
from numpy._core import _multiarray_umath  # type: ignore[attr-defined]

from brookfall.core.foundation.sources import package_digest

_LIBRARIES = ("numpy", "scipy", "scikit-learn", "lightgbm", "statsmodels")
_SIMD = ("AVX512_SKX", "AVX512F", "AVX2", "SSE42", "ASIMD")


@cache
def versions() -> dict[str, str]:
    """Versions of the libraries whose arithmetic a fit rests on; the core goes by the digest of its sources.

    >>> sorted(versions())
    ['lightgbm', 'numpy', 'scikit-learn', 'scipy', 'statsmodels']
    """
    return {name: version(name) for name in _LIBRARIES}


@cache
def versions_to_run() -> dict[str, str]:
    """Versions of the libraries that a fitted model is run by.

    >>> sorted(versions_to_run())
    ['numpy', 'onnxruntime']
    """
    return {name: version(name) for name in ("numpy", "onnxruntime")}


@cache
def environment() -> dict[str, str]:
    """Python, lock hash, BLAS kernel, SIMD level, versions, and the digest of the program, each as text.

    >>> {"python", "lock", "blas", "simd"} <= set(environment())
    True
    """
    pools: list[dict[str, str]] = threadpoolctl.threadpool_info()
    blas = next((pool for pool in pools if pool.get("user_api") == "blas"), {})
    simd = next((level for level in _SIMD if _multiarray_umath.__cpu_features__.get(level)), "baseline")
    return {
        "python": platform.python_version(),
        "lock": _lock_hash(),
        "blas": f"{blas.get('internal_api', 'none')} {blas.get('version', '')} {blas.get('architecture', '')}".strip(),
        "simd": simd,
        "brookfall": version("brookfall"),
        "program": package_digest("brookfall.core"),
        **versions(),
        **versions_to_run(),
    }


def _lock_hash() -> str:
    """SHA-256 of the lock file of a source checkout, or of the installed versions where there is none."""
    lock = Path(__file__).parents[4] / "requirements.txt"
    text = lock.read_bytes() if lock.is_file() else repr(sorted(versions().items())).encode()
    return hashlib.sha256(text).hexdigest()
