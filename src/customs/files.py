"""Opening what a person points at: regular files alone, whatever lies under the name."""

from __future__ import annotations

import errno
import io
import os
import stat
from pathlib import Path


def open_regular(path: Path) -> io.BufferedReader:
    """A regular file, open for reading. Raises OSError, also for pipes, devices and folders, and for names
    that can be none.

    It is asked of what was opened, not of its name, and opening waits for nobody at the other end of a pipe.
    """
    try:
        opened = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except ValueError as problem:
        raise OSError(errno.EINVAL, str(problem), repr(str(path))) from None
    if not stat.S_ISREG(os.fstat(opened).st_mode):
        os.close(opened)
        raise OSError(errno.EINVAL, "not a regular file", str(path))
    return open(opened, "rb")


def read_regular(path: Path, most: int) -> bytes | None:
    """All bytes of a regular file, None when there are more than `most`. Raises OSError."""
    with open_regular(path) as f:
        data = f.read(most + 1)
    return data if len(data) <= most else None


def is_file(path: Path) -> bool:
    """True for a regular file; False for whatever cannot be one, names too long for any file system among
    it.
    """
    return os.path.isfile(path)


def memory_left() -> int:
    """Bytes a process may still take without others giving way; without a system that tells, four
    gigabytes.
    """
    return _memory(b"MemAvailable:")


def memory_there() -> int:
    """Bytes of memory the machine has; without a system that tells, four gigabytes."""
    return _memory(b"MemTotal:")


def _memory(kind: bytes) -> int:
    try:
        with open("/proc/meminfo", "rb") as f:
            for line in f:
                if line.startswith(kind):
                    return int(line.split()[1]) * 1024
    except (OSError, ValueError, IndexError):
        pass
    return 4 * 1024**3


DEVICES = frozenset({"con", "prn", "aux", "nul", *(f"{d}{n}" for d in ("com", "lpt") for n in range(1, 10))})
"""Names that mean devices on some systems, with any ending (Microsoft, "Naming Files, Paths, and
Namespaces").
"""
LONGEST_NAME = 255
"""Bytes of a name that file systems take (common practice: ext4, NTFS, APFS)."""


def why_no_part(name: str) -> str:
    """Why `name` can be no one part of a path that every destination could hold, or ""."""
    if not name or name in (".", ".."):
        return "is no name"
    if any(c in '/\\:*?"<>|' or ord(c) < 32 or ord(c) == 127 or 0xD800 <= ord(c) < 0xE000 for c in name):
        return "holds a character no file name may hold"
    if name[-1] in ". " or name[0] == " ":
        return "begins or ends with a space or ends with a dot"
    if name.split(".")[0].rstrip().lower() in DEVICES:
        return "is the name of a device"
    return "" if len(os.fsencode(name)) <= LONGEST_NAME else f"is longer than {LONGEST_NAME} bytes"
