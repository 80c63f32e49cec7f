"""The keeper: a small process that has libraries loaded and forks a child for every piece of work.

A line of JSON asks for one; a line of JSON answers. `work` names a module that `run` does it in. The child has limits on time, memory and what it may
write, its standard streams lead nowhere, and whatever becomes of it, the keeper only tells how it ended. The
keeper runs one thread, so forking it is safe; it leaves when whoever started it goes.
"""

from __future__ import annotations

import gc
import importlib
import json
import os
import resource
import select
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from customs.aside.pack import Packer

Json = dict[str, Any]
Work = Callable[[Json], tuple[Json, Packer]]


def _child(work: Work, ask: Json) -> None:
    """In the child: work, hand over, leave. Never returns."""
    code = 1
    try:
        nowhere = os.open(os.devnull, os.O_RDWR)
        for stream in (0, 1, 2):
            os.dup2(nowhere, stream)
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        resource.setrlimit(resource.RLIMIT_AS, (ask["memory"], ask["memory"]))
        resource.setrlimit(resource.RLIMIT_FSIZE, (ask["bytes"], ask["bytes"]))
        resource.setrlimit(resource.RLIMIT_CPU, (int(ask["seconds"]) + 1, int(ask["seconds"]) + 2))
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        header, pack = work(ask["asked"])
        pack.write(Path(ask["out"]), header)
        code = 0
    except MemoryError:
        code = 3
    except BaseException as problem:  # noqa: BLE001 (the outermost boundary of the child)
        _leave_word(ask["out"], problem)
    finally:
        os._exit(code)


def _leave_word(out: str, problem: BaseException) -> None:
    """What went wrong, in the file that should have held the scene."""
    try:
        Path(out).write_text(f"{type(problem).__name__}: {problem}"[:2000], "utf-8")
    except OSError:
        os._exit(4)


def _watch(pid: int, seconds: float, stdin: int) -> Json:
    """How the child ended: `{"ended": "well" | "badly" | "killed" | "late" | "memory" | "left", "signal":
    number, "peak": kilobytes it held at most}`.
    """
    handle = os.pidfd_open(pid)
    poll = select.poll()
    poll.register(handle, select.POLLIN)
    poll.register(stdin, select.POLLHUP)
    try:
        events = dict(poll.poll(seconds * 1000))
    finally:
        os.close(handle)
    if handle not in events:
        os.kill(pid, signal.SIGKILL)
    _, status, used = os.wait4(pid, 0)
    if handle not in events:
        return {"ended": "left" if events else "late", "signal": 0}
    if os.WIFSIGNALED(status):
        return {"ended": "killed", "signal": os.WTERMSIG(status)}
    how = {0: "well", 3: "memory"}.get(os.WEXITSTATUS(status), "badly")
    return {"ended": how, "signal": 0, "peak": used.ru_maxrss}


def serve() -> None:
    """Answer until the asker goes."""
    for line in sys.stdin:
        ask = json.loads(line)
        sys.stdout.flush()
        try:
            work: Work = importlib.import_module(ask["work"]).run
        except Exception as problem:  # noqa: BLE001 (a library that is not there, whatever it says)
            _leave_word(ask["out"], problem)
            answer: Json = {"ended": "absent", "signal": 0}
        else:
            # What is here already is not looked through again by any child, so its pages stay shared.
            gc.freeze()
            gc.disable()
            pid = os.fork()
            if pid == 0:
                _child(work, ask)
            answer = _watch(pid, ask["seconds"], 0)
        sys.stdout.write(json.dumps(answer) + "\n")
        sys.stdout.flush()
