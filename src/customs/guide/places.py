"""Where the guide explains things: (page, anchor)."""

from __future__ import annotations

from customs.guide.pages import anchor_of, section


def about_row(requirement: str) -> tuple[str, str]:
    """Of a requirement, by its id."""
    return "rows", anchor_of(requirement)


def about_stop(step: str) -> tuple[str, str]:
    """Of a step, by its id."""
    return "stops", anchor_of(step)


def about_field(page: str, heading: str) -> tuple[str, str]:
    """Of a section of a desk; the desk's page where it has none of its own."""
    anchor = anchor_of(heading)
    return page, anchor if section(page, anchor) is not None else ""
