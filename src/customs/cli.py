"""The command line: what can be asked for. What a command does is loaded when it is asked for, so that help
and errors come at once.
"""

from __future__ import annotations

import gc
import importlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from customs.errors import UsageError

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Port game assets.",
)
USAGE = 2

Input = Annotated[list[Path], typer.Argument(help="model files or folders of them")]
To = Annotated[str, typer.Option("--to", help="destination sheet: an id, or a TOML file")]
DonorFile = Annotated[
    Path | None,
    typer.Option("--donor", help="asset of the destination whose skeleton or clips are taken over"),
]
KitFolder = Annotated[
    Path | None, typer.Option("--kit", help="the destination's own folder, which the package goes into too")
]
Search = Annotated[list[Path] | None, typer.Option("--search", help="folder to look for missing textures in")]
From = Annotated[str | None, typer.Option("--from", help="origin: an id, or a TOML file")]
MappingFile = Annotated[
    Path | None,
    typer.Option("--mapping", help="where in lists of placements the values stand, a TOML file"),
]
Libraries = Annotated[
    list[Path] | None, typer.Option("--library", help="folder of the files the names of lists mean")
]
AsJson = Annotated[bool, typer.Option("--json", help="machine-readable output")]


@contextmanager
def _usage() -> Iterator[None]:
    """What was asked for wrongly is said in a line, and ends with its own code."""
    try:
        yield
    except UsageError as problem:
        raise typer.Exit(_told(str(problem), USAGE)) from None


@app.callback(invoke_without_command=True)
def start(context: typer.Context) -> None:
    """Without a command: open the window."""
    if context.invoked_subcommand is None:
        _window([])


def _window(arguments: list[str]) -> None:
    # Nothing that is imported is garbage; looking for some meanwhile takes a tenth of the time.
    gc.disable()
    try:
        desktop = importlib.import_module("customs_desktop.start").main
    except ImportError as problem:
        raise typer.Exit(_told(f"the window cannot be opened: {problem}", USAGE)) from None
    raise typer.Exit(desktop(arguments))


@app.command()
def demo(
    shot: Annotated[Path | None, typer.Option(help="save a picture of the window and exit")] = None,
    many: Annotated[bool, typer.Option("--many", help="an asset of 3,000 materials instead")] = False,
) -> None:
    """Open the window with the demo shipment."""
    _window(["--many" if many else "--demo", *(["--shot", str(shot)] if shot else [])])


@app.command(name="open")
def open_(
    files: Annotated[list[Path] | None, typer.Argument(help="a shipment, or model files to take in")] = None,
) -> None:
    """Open a shipment in a window, or take files in; a window that is open already takes them where it can."""
    with _usage():
        gone = [f for f in files or [] if not f.exists()]
        if gone:
            raise UsageError(f"{gone[0]}: there is no such file or folder")
    _window([str(f.absolute()) for f in files or []])


@app.command()
def integrate(
    remove: Annotated[bool, typer.Option("--remove", help="take all of it away again")] = False,
) -> None:
    """Put Customs into the menus of the desktop, with icons and kinds of files, for the person who runs it."""
    from customs.command import integrate as integration

    raise typer.Exit(integration.run(remove))


@app.command()
def goods(folder: Annotated[Path, typer.Argument(help="a new or empty folder")]) -> None:
    """Write the demo goods, their kit folders and a level's list into a folder, to try commands on."""
    from customs.demo import samples

    with _usage():
        raise typer.Exit(samples.write(folder))


@app.command()
def shots(folder: Annotated[Path, typer.Argument()] = Path("docs/screenshots")) -> None:
    """Remake the pictures of the documentation from the demo shipment."""
    _window(["--shots", str(folder)])


@app.command()
def sheets(as_json: AsJson = False) -> None:
    """List the destination sheets."""
    from customs.command import lists

    lists.sheets(as_json)


@app.command()
def steps() -> None:
    """List the steps with their settings."""
    from customs.command import lists

    lists.steps()


@app.command()
def check(
    inputs: Input,
    to: To,
    from_: From = None,
    set_: Annotated[list[str] | None, typer.Option("--set")] = None,
    search: Search = None,
    donor: DonorFile = None,
    mapping: MappingFile = None,
    library: Libraries = None,
    everything: Annotated[bool, typer.Option("--all", help="cleared rows too")] = False,
    as_json: AsJson = False,
) -> None:
    """The open rows of the ledger of assets against a sheet. Exit 0 cleared or queries only, 1 held, 2 usage, 3 unreadable."""
    from customs.command import goods

    with _usage():
        level = (mapping, tuple(library or ()))
        requests = goods.asked(inputs, to, from_, set_ or [], None, False, search, donor, level=level)
    raise typer.Exit(goods.check(requests, as_json, everything))


@app.command()
def port(
    inputs: Input,
    to: To,
    out: Annotated[Path, typer.Option("--out", help="folder the packages go to")],
    from_: From = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="stop.field=value, again and again")] = None,
    replace_: Annotated[
        bool, typer.Option("--replace", help="replace packages that are there already")
    ] = False,
    search: Search = None,
    donor: DonorFile = None,
    kit: KitFolder = None,
    form: Annotated[
        list[str] | None, typer.Option("--form", help="field=value of the kit's form, again and again")
    ] = None,
    mapping: MappingFile = None,
    library: Libraries = None,
    as_json: AsJson = False,
) -> None:
    """Plan, run and dispatch; with --mapping or --library the inputs are lists of one level. A held asset is not written, the others are. Exit codes as of check."""
    from customs.command import goods

    with _usage():
        level = (mapping, tuple(library or ()))
        requests = goods.asked(inputs, to, from_, set_ or [], out, replace_, search, donor, kit, form, level)
    raise typer.Exit(goods.port(requests, as_json))


@app.command()
def land(
    folder: Path,
    by: Annotated[str | None, typer.Option(help="sheet to land by")] = None,
    kit: KitFolder = None,
    said: Annotated[Path | None, typer.Option("--log", help="a log the destination itself wrote")] = None,
    as_json: AsJson = False,
) -> None:
    """Read packages as their destination would, with --kit its own folder too. Exit 1 on any refusal."""
    from customs.command import landing

    with _usage():
        raise typer.Exit(landing.land(folder, by, as_json, kit, said))


@app.command(name="list")
def list_(
    lists: Annotated[list[Path], typer.Argument(help="lists of placements: JSON, CSV or XML")],
    mapping: MappingFile = None,
    library: Libraries = None,
    out: Annotated[Path | None, typer.Option("--out", help="write the level as one GLB")] = None,
    as_json: AsJson = False,
) -> None:
    """What lists of placements hold and which files their names mean; with --out the level as one GLB. Exit 1 where something is missing, ambiguous or cannot be used."""
    from customs.command import level

    with _usage():
        raise typer.Exit(level.told(lists, mapping, library or [], as_json, out))


@app.command()
def plan(
    levels: Annotated[list[Path], typer.Argument(help="a level: a model file, or the lists it is made of")],
    out: Annotated[Path, typer.Option("--out", help="folder the plans go to")],
    scale: Annotated[str, typer.Option("--scale", help="as 1:100")] = "1:100",
    cut: Annotated[
        float | None, typer.Option("--cut", help="metres at which it is cut; else 1.2 m above the floor")
    ] = None,
    storeys: Annotated[bool, typer.Option("--storeys", help="a plan of every storey that is found")] = False,
    marks: Annotated[Path | None, typer.Option("--marks", help="signs to put on it, a JSON file")] = None,
    form: Annotated[
        str, typer.Option("--form", help="png, svg, pdf, or several with commas")
    ] = "png,svg,pdf",
    dots: Annotated[float, typer.Option("--dots", help="pixels an inch of the page")] = 150.0,
    north: Annotated[
        float, typer.Option("--north", help="degrees north lies clockwise of the level's −Z")
    ] = 0.0,
    from_: From = None,
    mapping: MappingFile = None,
    library: Libraries = None,
    replace_: Annotated[
        bool, typer.Option("--replace", help="write over plans that are there already")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Draw floor plans of a level to scale: cut at a height, with grid, scale bar, north, marks and a legend. Exit 3 where one cannot be drawn."""
    from customs.command import plan as drawing

    with _usage():
        requests = drawing.levels(levels, from_, mapping, library or [])
        code = drawing.plan(requests, out, scale, cut, storeys, marks, form, dots, north, replace_, as_json)
    raise typer.Exit(code)


@app.command()
def learn(
    packages: Annotated[
        list[Path], typer.Argument(help="packages the destination already has, or folders of them")
    ],
    out: Annotated[Path, typer.Option("--out", help="the sheet to write, a TOML file")],
    replace_: Annotated[bool, typer.Option("--replace", help="write over a sheet that is there")] = False,
    as_json: AsJson = False,
) -> None:
    """Read a destination sheet off packages that are accepted there. Exit 1 where the sheet would hold one of them."""
    from customs.command import learn as learning

    with _usage():
        raise typer.Exit(learning.learn(packages, out, as_json, replace_))


@app.command()
def withdraw(
    package: Path,
    kit: Annotated[Path, typer.Option("--kit", help="the destination's own folder")],
    as_json: AsJson = False,
) -> None:
    """Undo a dispatch in a kit folder: every original back, every new file away. Exit 1 where that cannot be."""
    from customs.command import landing

    raise typer.Exit(landing.withdraw(package, kit, as_json))


@app.command()
def run(
    recipe: Annotated[Path, typer.Argument(help="recipe, a TOML file")],
    inputs: Input,
    out: Annotated[
        Path,
        typer.Option("--out", help="folder the packages, the report and what is known of the run go into"),
    ],
    kit: KitFolder = None,
    jobs: Annotated[int, typer.Option("--jobs", help="assets side by side, 0 for one a core")] = 0,
    seconds: Annotated[float, typer.Option("--seconds", help="seconds one asset may take")] = 900.0,
    memory: Annotated[
        float | None, typer.Option("--memory", help="gigabytes of memory one asset may take")
    ] = None,
    private: Annotated[
        bool, typer.Option("--private", help="the report names no folders above the goods")
    ] = False,
    cluster: Annotated[
        str, typer.Option("--cluster", help="address of a dask scheduler, tcp://… or tls://…, or local")
    ] = "",
    replace: Annotated[bool, typer.Option("--replace", help="write over packages that are there")] = False,
    as_json: AsJson = False,
) -> None:
    """Run a recipe on many goods, each in a process of its own; the same command goes on where it was ended, and runs again only what
    has changed. Exit 0 all delivered, 1 some held, 3 some not done, 130 cancelled.
    """
    from customs.command import runs

    with _usage():
        raise typer.Exit(
            runs.run(recipe, inputs, out, kit, jobs, seconds, memory, replace, as_json, cluster, private)
        )


@app.command()
def pack(
    shipment: Annotated[Path, typer.Argument(help="a shipment, NAME.customs")],
    out: Annotated[Path, typer.Argument(help="the one file, NAME.customs.zip")],
    replace: Annotated[bool, typer.Option("--replace", help="write over what is there")] = False,
) -> None:
    """A shipment with its sources as one file to hand on."""
    from customs.command import packing

    with _usage():
        raise typer.Exit(packing.pack(shipment, out, replace))


@app.command()
def unpack(
    packed: Annotated[Path, typer.Argument(help="a shipment in one file, NAME.customs.zip")],
    out: Annotated[Path, typer.Argument(help="the shipment to make, NAME.customs")],
) -> None:
    """A shipment in one file laid out again, under a name nobody has."""
    from customs.command import packing

    with _usage():
        raise typer.Exit(packing.unpack(packed, out))


@app.command()
def recipe(
    shipment: Annotated[Path, typer.Argument(help="a shipment, NAME.customs")],
    out: Annotated[Path, typer.Option("--out", help="the recipe to write, a TOML file")],
    replace: Annotated[bool, typer.Option("--replace", help="write over what is there")] = False,
) -> None:
    """A recipe of what was decided about the goods of a shipment."""
    from customs.command import recipes

    with _usage():
        raise typer.Exit(recipes.write(shipment, out, replace))


def main() -> None:
    """Entry point of the console script. What nobody foresaw is one line too, never a traceback."""
    try:
        app()
    except Exception as problem:  # noqa: BLE001 (the outermost boundary)
        text = f"something unforeseen went wrong ({type(problem).__name__}: {problem})"
        raise SystemExit(_told(text, 3)) from None


def _told(text: str, code: int) -> int:
    from customs.command.printing import errors, say

    say(f"customs: {text}", errors)
    return code


if __name__ == "__main__":
    main()
