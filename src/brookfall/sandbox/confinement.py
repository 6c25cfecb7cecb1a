"""What a child gives up before it reads: the network, the disk but for the libraries, time and memory without end.

Linux namespaces (unshare(2)), Landlock (landlock(7), kernel 5.13 on) and setrlimit(2).
"""

import ctypes
import os
import resource
import signal
import struct
import sys
from pathlib import Path

from brookfall.sandbox.limits import Limits

_libc = ctypes.CDLL(None, use_errno=True)

_CLONE_NEWUSER, _CLONE_NEWNET = 0x10000000, 0x40000000
_PR_SET_DUMPABLE, _PR_SET_NO_NEW_PRIVS = 4, 38
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_VERSION, _PATH_BENEATH = 1, 1
_READ_FILE, _READ_DIR = 4, 8
_HANDLED = {1: 0x1FFF, 2: 0x3FFF, 3: 0x7FFF, 4: 0x7FFF, 5: 0xFFFF}
"""Rights on files that a ruleset can hold back, by the version of Landlock."""
_TCP, _SCOPES = 0x3, 0x3

_LIBRARIES = ("/usr/lib", "/usr/lib64", "/usr/local/lib", "/lib", "/lib64", "/usr/share/zoneinfo")
_OPEN_FILES = 64


def bound(limits: Limits) -> None:
    """Bounds the time, the memory, the files and the core dumps of this process, which stays killable as a group."""
    os.setsid()
    seconds = int(limits.seconds) + 1
    held = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * resource.getpagesize()
    for kind, most in (
        (resource.RLIMIT_CPU, seconds),
        (resource.RLIMIT_AS, held + limits.memory),
        (resource.RLIMIT_FSIZE, 0),
        (resource.RLIMIT_CORE, 0),
        (resource.RLIMIT_NOFILE, _OPEN_FILES),
    ):
        resource.setrlimit(kind, (most, most))
    signal.signal(signal.SIGXFSZ, signal.SIG_DFL)


def confine() -> list[str]:
    """Gives up network and disk; what of it this machine does not allow, in words."""
    missing = []
    _libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    if not _restrict_files():
        missing.append("the kernel has no Landlock, so files can't be kept from it")
    if _libc.unshare(_CLONE_NEWUSER | _CLONE_NEWNET) != 0:
        missing.append("user and network namespaces can't be made, so the network can't be kept from it")
    _libc.prctl(_PR_SET_DUMPABLE, 0, 0, 0, 0)
    return missing


def _restrict_files() -> bool:
    version = _libc.syscall(_CREATE_RULESET, None, 0, _VERSION)
    if version < 1:
        return False
    files = _HANDLED.get(version, _HANDLED[5])
    # A struct of older kernels is shorter: what they don't know must not be there.
    told = struct.pack("=Q", files)
    if version >= 4:
        told += struct.pack("=Q", _TCP)
    if version >= 6:
        told += struct.pack("=Q", _SCOPES)
    ruleset = _libc.syscall(_CREATE_RULESET, told, len(told), 0)
    if ruleset < 0:
        return False
    try:
        for folder in _readable():
            _allow(ruleset, folder)
        return bool(_libc.syscall(_RESTRICT_SELF, ruleset, 0) == 0)
    finally:
        os.close(ruleset)


def _readable() -> list[str]:
    """Where libraries may still be loaded from: never a folder that holds the home of whoever runs this."""
    own = str(Path(__file__).resolve().parents[2])
    wanted = {sys.prefix, sys.base_prefix, own, *_LIBRARIES, *(path for path in sys.path if path)}
    return sorted(path for path in wanted if Path(path).exists() and not Path.home().is_relative_to(path))


def _allow(ruleset: int, path: str) -> None:
    opened = os.open(path, os.O_PATH | os.O_CLOEXEC)
    try:
        rights = _READ_FILE | (_READ_DIR if Path(path).is_dir() else 0)
        _libc.syscall(_ADD_RULE, ruleset, _PATH_BENEATH, struct.pack("=Qi", rights, opened), 0)
    finally:
        os.close(opened)
