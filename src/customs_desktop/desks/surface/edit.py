"""The decisions of the desk Surface, each one a change of the route."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from customs.route.route import Route
from customs.scene.key import Key
from customs.scene.model import Image
from customs_desktop.office import Office


class SurfaceEdit:
    """Turns what a person does at the desk into stops."""

    def __init__(self, session: Office) -> None:
        self.session = session

    def received(self, image: Image) -> Image | None:
        """What a texture was when it arrived: itself, or the first it was made from."""
        result = self.session.result
        if result is None or not result.passed:
            return None
        known = {im.key: im for im in result.passed[0].scene.images}
        return next((known[k] for k in (image.key, *image.made_from) if k in known), None)

    def say(self, text: str) -> None:
        """A line at the bottom of the window."""
        self.session.said.emit(text, "query")

    # -- roles

    def use(self, material: Key, role: str, image: Image | None) -> bool:
        """Let a material use a texture in a role, or none."""
        key = self.source(image)
        if image is not None and not key:
            return False
        return self._uses([(str(material), role, key)], "Role" if image is not None else "Empty a role")

    def move(self, source: Key, role: str, target: Key, to: str, image: Image, copy: bool) -> bool:
        """A texture from one cell to another; what lay there gives way. `copy` leaves it where it was too."""
        key = self.source(image)
        if not key:
            return False
        uses = [] if copy else [(str(source), role, "")]
        return self._uses([*uses, (str(target), to, key)], "Move a texture")

    def source(self, image: Image | None) -> str:
        """Key of a texture as it was received; "" (and said) for one that a stop has made."""
        if image is None:
            return ""
        first = self.received(image)
        if first is None:
            self.say(
                f"{image.name} is made by a later stop: change that stop, or pick a texture that was received."
            )
        return str(first.key) if first is not None else ""

    def _uses(self, uses: Sequence[tuple[str, str, str]], label: str) -> bool:
        """Into the stop Roles; what it said of the same cells before no longer counts."""

        def change(route: Route) -> Route:
            stop = route.of_step("roles")
            old = tuple(tuple(u) for u in dict(stop.values).get("uses", ())) if stop is not None else ()
            cells = {(m, r) for m, r, _ in uses}
            merged = (*(u for u in old if (u[0], u[1]) not in cells), *uses)
            return route.set("roles", {"uses": merged})

        return self.session.change_route(label, change)

    # -- steps kept to one material

    def set_for(self, step: str, material: Key, label: str = "Change settings", **values: Any) -> bool:
        """The stop of a step that is for this material alone, changed or added."""
        target = (str(material),)

        def change(route: Route) -> Route:
            mine = next(
                (
                    s
                    for s in route.stops
                    if s.step == step and tuple(dict(s.values).get("targets", ())) == target
                ),
                None,
            )
            wanted = {**values, "targets": target}
            return (
                route.set(step, wanted, mine.id)
                if mine is not None
                else route.added(step, wanted, by="person")
            )

        return self.session.change_route(label, change)

    def drop_for(self, step: str, material: Key) -> bool:
        """Without the stop of a step that is for this material alone."""

        def change(route: Route) -> Route:
            mine = [
                s.id
                for s in route.stops
                if s.step == step and tuple(dict(s.values).get("targets", ())) == (str(material),)
            ]
            for stop_id in mine:
                route = route.removed(stop_id)
            return route

        return self.session.change_route("Take away", change)

    def set_many(self, step: str, targets: Sequence[str], label: str, **values: Any) -> bool:
        """A new stop of a step for many materials."""
        wanted = {**values, "targets": tuple(targets)}
        return self.session.change_route(label, lambda r: r.added(step, wanted, by="person"))

    def stop_for(self, step: str, material: Key) -> dict[str, Any]:
        """Settings of the stop of a step that is for this material alone; empty without one."""
        asset = self.session.asset
        for s in asset.stops if asset is not None else ():
            if s.step == step and tuple(dict(s.values).get("targets", ())) == (str(material),):
                return dict(s.values)
        return {}

    def add_skin(self, name: str, material: Key, role: str, image: Image) -> bool:
        """A further skin in which a material has another texture."""
        key = self.source(image)
        if not key:
            return False

        def change(route: Route) -> Route:
            stop = route.of_step("variants")
            old = tuple(tuple(u) for u in dict(stop.values).get("uses", ())) if stop is not None else ()
            return route.set("variants", {"uses": (*old, (name, str(material), role, key))})

        return self.session.change_route(f"Skin {name}", change)
