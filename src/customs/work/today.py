"""What earlier editions kept of an asset, put in the terms of today once it has been looked at."""

from __future__ import annotations

from dataclasses import replace

from customs.ledger.waiver import brought_up, spoken
from customs.shipment.state import Asset
from customs.work.requests.evaluate import Evaluated


def put_in_today(result: Evaluated) -> Asset:
    """The asset with stops and waivers that speak of what stops made by today's Keys, and waivers that
    remember values; the same one when they do already.
    """
    asset = result.asset
    ran = {at.stop.id: at.stop for at in result.passed}
    stops = tuple(ran.get(s.id, s) if s.on else s for s in asset.stops)
    waivers = spoken(asset.waivers, result.passed[-1].scene) if result.passed else asset.waivers
    waivers = brought_up(waivers, result.ledger.rows)
    same = waivers is asset.waivers and all(a is b for a, b in zip(stops, asset.stops))
    return asset if same else replace(asset, stops=stops, waivers=waivers)
