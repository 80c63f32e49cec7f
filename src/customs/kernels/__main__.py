"""Compiles all kernels into the user's cache folder: `python -m customs.kernels`."""

from __future__ import annotations

import sys

from customs.kernels.store import compile_all, folder


def main() -> int:
    """0 when all are compiled; 1 without a place to keep them."""
    try:
        seconds = compile_all()
    except OSError as problem:
        print(f"Kernels are not kept ({problem}): everything works, more slowly.", file=sys.stderr)
        return 1
    if seconds > 1:
        print(f"Kernels compiled in {seconds:.1f} s into {folder()}", file=sys.stderr)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
