"""Hidden folders beside a target in which a package is made; what a killed process left of them is swept by
the next one.
"""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from pathlib import Path

NAME = re.compile(r"^\.(?P<target>.+)-(?P<process>\d+)-[a-z0-9_]{8}\.(?P<kind>part|old)$")


def new_staging(target: Path) -> Path:
    """An empty hidden folder beside `target` that says whose it is. Raises OSError."""
    target.parent.mkdir(parents=True, exist_ok=True)
    sweep(target.parent)
    # Room for the rest of the name: file systems take 255 bytes.
    name = os.fsdecode(os.fsencode(target.name)[:200])
    return Path(tempfile.mkdtemp(prefix=f".{name}-{os.getpid()}-", suffix=".part", dir=target.parent))


def sweep(folder: Path) -> None:
    """Removes what processes that are no more left in `folder`; an old package that was half replaced goes
    back to its place.
    """
    with os.scandir(folder) as entries:
        found = [
            (Path(e.path), m)
            for e in entries
            if (m := NAME.match(e.name)) and e.is_dir(follow_symlinks=False)
        ]
    for path, said in found:
        if _alive(int(said["process"])):
            continue
        place = folder / said["target"]
        if said["kind"] == "old" and not os.path.lexists(place):
            os.rename(path, place)
        else:
            shutil.rmtree(path, ignore_errors=True)


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True
