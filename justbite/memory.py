"""How the process holds memory."""

import ctypes
import resource
from pathlib import Path

MMAP_THRESHOLD = -3
"""M_MMAP_THRESHOLD of glibc's malloc.h."""
LARGE = 4 << 20
"""Bytes from which on an array has memory of its own, which goes back to the system with it."""


def most_held() -> float:
    """MB that this process, or one forked from it and ended since, held at most."""
    # The rusage of a process that was started by another begins with what that one held.
    status = Path("/proc/self/status").read_text()
    own = next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM"))
    return max(own, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss) / 1024


def give_back_large() -> None:
    """Let freed arrays give their memory back; where the C library is not glibc nothing is done.

    Left alone, it raises the size that it does so from to that of the arrays that come and go, up to 32 MB: a plate
    of 600 x 400 mm kept 150 MB of free memory from planning all through its proof.
    """
    _glibc("mallopt", MMAP_THRESHOLD, LARGE)


def give_back_small() -> None:
    """Give back what many small arrays have left free: a long path is thousands of them."""
    _glibc("malloc_trim", 0)


def _glibc(name: str, *given: int) -> None:
    try:
        getattr(ctypes.CDLL(None), name)(*given)
    except (AttributeError, OSError, TypeError):
        return
