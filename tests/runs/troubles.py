"""Work that goes wrong in the ways work does: a module of its own, so that a child finds it."""

from __future__ import annotations

import os
import signal
import time

from customs.job import Job
from customs.ledger.ledger import Ledger
from customs.work.asset import Request, Result, run


def troubled(request: Request, job: Job) -> Result:
    """By its name an asset hangs, eats memory, dies or breaks; any other is quick and good."""
    name = request.path.stem
    job.progress(0.5, "Measuring")
    if name.startswith("hangs"):
        time.sleep(600)
    if name.startswith("eats"):
        held = []
        while True:
            held.append(bytearray(b"x" * (64 << 20)))
    if name.startswith("dies"):
        os.kill(os.getpid(), signal.SIGSEGV)
    if name.startswith("leaves"):
        os._exit(7)
    if name.startswith("slow"):
        time.sleep(0.3)
    if name.startswith("real"):
        return run(request, job)
    return Result(request.path, Ledger(()), name=name, files=(request.path,))
