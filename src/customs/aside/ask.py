"""Asking the keeper for a piece of work, and what comes back."""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from customs.aside.pack import Answer, opened
from customs.errors import LimitError, ReadError, ToolError, UnsupportedError

Json = dict[str, Any]
SECONDS = 120.0
"""Longest a file may take (seconds)."""
MEMORY = 6 * 1024**3
"""Most memory a child may have (bytes of address space)."""
BYTES = 4 * 1024**3
"""Most a child may hand over (bytes)."""
PROGRAM = "import sys; sys.path[:0] = {paths!r}; from customs.aside.serve import serve; serve()"


@dataclass(frozen=True)
class Limits:
    """What one file may cost."""

    seconds: float = SECONDS
    memory: int = MEMORY
    bytes: int = BYTES


LEAST_MEMORY, MEMORY_A_BYTE = 1024**3, 256
LEAST_SECONDS, SECONDS_A_BYTE = 15.0, 1e-5
"""What a small file may cost, and what each of its bytes adds, up to the most: one that says it is large is
not believed.
"""


def limits_for(path: Path) -> Limits:
    """What a file of its size may cost."""
    try:
        return limits_of(path.stat().st_size)
    except OSError:
        return limits_of(0)


def limits_of(size: int) -> Limits:
    """What so many bytes may cost."""
    return Limits(
        min(SECONDS, LEAST_SECONDS + size * SECONDS_A_BYTE), min(MEMORY, LEAST_MEMORY + size * MEMORY_A_BYTE)
    )


class Keeper:
    """The keeper process, started when first asked and again when it has gone."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[str] | None = None

    def _start(self) -> subprocess.Popen[str]:
        root = str(Path(__file__).resolve().parents[2])
        program = PROGRAM.format(paths=[root, *(p for p in sys.path if p)])
        env = os.environ | {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
        return subprocess.Popen(
            [sys.executable, "-c", program],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
            env=env,
            start_new_session=True,
        )

    def ask(self, question: Json) -> Json:
        """The keeper's answer. Raises ToolError when it cannot be had."""
        with self._lock:
            for _ in range(2):
                if self._process is not None and self._process.poll() is not None:
                    self._drop()
                self._process = self._process or self._start()
                assert self._process.stdin is not None and self._process.stdout is not None
                try:
                    self._process.stdin.write(json.dumps(question) + "\n")
                    self._process.stdin.flush()
                    line = self._process.stdout.readline()
                except OSError:
                    line = ""
                if line:
                    answer: Json = json.loads(line)
                    return answer
                self._drop()
        raise ToolError("the process that reads with libraries does not start", todo="Start Customs again.")

    def _drop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.communicate()
            self._process = None

    def close(self) -> None:
        """End the keeper; the next question starts a new one."""
        with self._lock:
            self._drop()

    @property
    def pid(self) -> int | None:
        """The keeper's process number while it runs."""
        return self._process.pid if self._process is not None else None


keeper = Keeper()
atexit.register(keeper.close)


@dataclass(frozen=True)
class SharedFile:
    """A file of memory that is gone when it is left: `place` is where a child finds it, `file` its writing end."""

    place: Path
    file: BinaryIO


@contextlib.contextmanager
def shared_file() -> Iterator[SharedFile]:
    """A file for what passes between this process and a child: no disk has part in it."""
    with os.fdopen(os.memfd_create("customs"), "w+b") as file:
        yield SharedFile(Path(f"/proc/{os.getpid()}/fd/{file.fileno()}"), file)


def ask_aside(work: str, asked: Json, file: Path, limits: Limits | None = None, named: bool = True) -> Answer:
    """What `run` of the module `work` makes of `asked`, in a child; `file` is what it is about. Raises ReadError,
    LimitError, ToolError, UnsupportedError; the file is named in all unless it is none of the person's.
    """
    limits, path = limits or limits_for(file), file if named else ""
    with shared_file() as out:
        question = {
            "work": work, "asked": asked, "out": str(out.place),
            "seconds": limits.seconds, "memory": limits.memory, "bytes": limits.bytes,
        }  # fmt: skip
        try:
            answer = keeper.ask(question)
        except ToolError as problem:
            raise ToolError(problem.found, problem.expected, problem.todo, path) from None
        _check(answer, out.place, path, limits)
        found = opened(out.place)
        if found is None:
            raise ToolError(
                "the library's answer is cut off", todo="Make room on the disk and try again.", file=path
            )
        return found


def _check(answer: Json, out: Path, path: Path | str, limits: Limits) -> None:
    ended = answer["ended"]
    if ended == "well":
        return
    if ended == "late" or answer["signal"] == signal.SIGXCPU:
        raise LimitError(
            f"still not read after {limits.seconds:g} seconds",
            "a file that is read in that time",
            "Split the file.",
            path,
        )
    if ended == "memory":
        raise LimitError(
            "needs more memory than is given", f"{limits.memory >> 20:,} MiB", "Split the file.", path
        )
    if ended == "killed":
        name = signal.Signals(answer["signal"]).name
        raise ReadError(
            f"the library that reads it broke down ({name})", "a sound file", "Export it again.", path
        )
    said = out.read_text("utf-8", "replace") if out.is_file() else ""
    if ended == "absent":
        raise UnsupportedError(
            f"the library it is read with is not here ({said.partition(': ')[2].strip().rstrip('.')})",
            "what pyproject.toml lists",
            "Set Customs up again.",
            path,
        )
    if "MemoryError" in said or "bad_alloc" in said or "Unable to allocate" in said:
        raise LimitError(
            "needs more memory than is given", f"{limits.memory >> 20:,} MiB", "Split the file.", path
        )
    if "File too large" in said:
        raise LimitError(
            "holds more than is taken over", f"{limits.bytes >> 20:,} MiB", "Split the file.", path
        )
    text = said.partition(": ")[2] if said.startswith("ValueError: ") else said
    raise ReadError(text.strip().rstrip(".") or "cannot be read", "a sound file", "Export it again.", path)
