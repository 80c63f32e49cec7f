"""A sheet read off packages the destination already has."""

from __future__ import annotations

from pathlib import Path

from customs.command.printing import MARKS, errors, say, say_folded, say_json
from customs.errors import CustomsError, UsageError
from customs.learning.examples import Example
from customs.words import many
from customs.work.requests.learn import Learned, LearnRequest, run_learn

SIGNS = {"sure": "!", "likely": "~", "undecided": " "}
ORDER = ("cleared", "query", "held")


def learn(packages: list[Path], out: Path, as_json: bool, force: bool) -> int:
    """Learn from packages and write the sheet; 1 where it holds one of them. Raises UsageError."""
    if out.suffix != ".toml":
        raise UsageError(f"{out}: a sheet is a file that ends in .toml")
    if out.exists() and not force:
        raise UsageError(f"{out} is there already: --replace writes over it")
    try:
        learned = run_learn(LearnRequest(tuple(packages), out.stem))
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    if len(learned.groups) > 1:
        for group in learned.groups:
            _say_group(group)
        raise UsageError(
            f"these are of {len(learned.groups)} destinations by their formats and axes: name those of one"
        )
    try:
        out.write_text(learned.text, "utf-8")
    except OSError as problem:
        raise UsageError(f"{out} cannot be written ({problem.strerror})") from None
    if as_json:
        say_json(learned.as_dict() | {"sheet": str(out)})
    else:
        _say(learned, out)
    return 1 if any(r.verdict == "held" for rows in learned.verdicts.values() for r in rows) else 0


def _say_group(group: tuple[Example, ...]) -> None:
    first, names = group[0].main, ", ".join(e.folder.name for e in group)
    say_folded(f"{first.format.upper()}, {first.convention.axes_text()}: {names}", 2, 4, errors)


def _say(learned: Learned, out: Path) -> None:
    for f in learned.found:
        value = "not told" if f.value is None else f"{f.value}"
        say_folded(f"{SIGNS[f.sure]} {f.key}: {value} ({f.evidence}). {f.why}", 2, 4)
    for e in learned.examples:
        if e.problem:
            say_folded(f"{MARKS['query']} {e.folder.name}: {e.problem}", 2, 4, errors)
    for name, rows in learned.verdicts.items():
        verdict = max((r.verdict for r in rows), key=ORDER.index, default="cleared")
        told = "; ".join(f"{r.title}: {r.delivering}, required {r.required}" for r in rows[:3])
        say_folded(f"{MARKS[verdict]} {name}: {told or 'as the sheet asks'}", 2, 4)
    taken = sum(f.key in learned.taken for f in learned.found)
    say(
        f"{out}: {many(taken, 'key')} of {len(learned.found)} taken from {many(len(learned.examples), 'package')}"
    )
