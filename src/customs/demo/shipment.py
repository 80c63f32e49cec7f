"""The demo shipment: the goods of the glasshouse, taken in with their origins and planned."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from customs.demo.accepted import write_accepted
from customs.demo.kits import KITS
from customs.demo.place import demo_path
from customs.demo.write import GOODS, write_goods
from customs.route.route import SceneCache
from customs.shipment.file import Shipment
from customs.shipment.state import State
from customs.work.donors import keep_donor, read_donor
from customs.work.goods import take_in
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.evaluate import asked_of
from customs.work.requests.plan import PlanRequest, run_plan


def open_demo(data: Path, progress: Callable[[str], None] = lambda text: None) -> Shipment:
    """The demo shipment, made on the first call: goods written, taken in and planned."""
    path = demo_path(data)
    if path.is_file():
        return Shipment(path)
    progress("Writing the goods of the glasshouse")
    files = write_goods(path.parent / "goods")
    kits = {sheet: str(write(path.parent / "kits" / sheet)) for sheet, write in KITS.items()}
    write_accepted(path.parent / "unknown")
    state = State(
        "metre-yup-pbr", last_origin="centimetre-zup", out=str(path.parent / "delivered"), kits=kits
    )
    sheet, store = find_sheet(state.sheet), path.with_suffix(".store")
    warden = next(g for g in GOODS if g.kind == "donor")
    donor = read_donor(files[warden.id], find_origin(warden.origin))
    keep_donor(store, donor)
    for good in GOODS:
        progress(f"Taking in {good.title}")
        origin = find_origin(good.origin)
        asset = take_in(files[good.id], files[good.id].parent, store, good.id, origin)
        asset = replace(asset, name=good.title, donor=donor.digest, donor_name=donor.name)
        state = state.with_asset(run_plan(PlanRequest(asked_of(asset, store, sheet)), SceneCache()).asset)
    # Made whole beside its place first: a start cut short leaves no half shipment.
    partial = path.with_name("making.customs")
    partial.unlink(missing_ok=True)
    Shipment.create(partial, state).close()
    partial.with_name(f".{partial.name}.lock").unlink(missing_ok=True)
    partial.rename(path)
    return Shipment(path)
