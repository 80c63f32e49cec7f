"""A page as PNG, SVG or PDF; the picture of the level is in all of them, lines and words are what the form has for them."""

from __future__ import annotations

import base64
import io
import re
from collections.abc import Callable, Sequence
from xml.sax.saxutils import escape, quoteattr

import numpy as np
import numpy.typing as npt
from PIL import Image as Pictures
from PIL import ImageDraw, ImageFont

from customs.floorplan.page import PAPER, Line, Page, Shape

Pixels = npt.NDArray[np.uint8]
INCH = 25.4
DOTS = 150.0
"""Pixels per inch on the page where nothing else is asked for."""
BAND = 512
"""Rows that are laid on paper at a time."""


def on_paper(pixels: Pixels) -> Pixels:
    """(H, W, 3) a picture (H, W, 4) laid on paper, band by band: a picture may be large."""
    ground = np.array([int(PAPER[k : k + 2], 16) for k in (1, 3, 5)], np.float32)
    out = np.empty((*pixels.shape[:2], 3), np.uint8)
    for top in range(0, len(pixels), BAND):
        band = pixels[top : top + BAND]
        cover = band[..., 3:].astype(np.float32) / 255
        out[top : top + BAND] = (band[..., :3] * cover + ground * (1 - cover)).round()
    return out


def as_png(page: Page, picture: Pixels) -> bytes:
    """The page as a PNG that says its size: the picture keeps its pixels, one for one. Raises nothing."""
    dots = picture.shape[1] / page.picture[2]
    size = round(page.width * dots), round(page.height * dots)
    card = Pictures.new("RGB", size, PAPER)
    left, top = round(page.picture[0] * dots), round(page.picture[1] * dots)
    card.paste(Pictures.fromarray(on_paper(picture)), (left, top))
    pen = ImageDraw.Draw(card)
    for item in page.items:
        if isinstance(item, Line):
            ends = [(x * dots, y * dots) for x, y in (item.a, item.b)]
            pen.line(ends, fill=item.ink, width=max(1, round(item.width * dots)))
        elif isinstance(item, Shape):
            corners = [(x * dots, y * dots) for x, y in item.points]
            pen.polygon(
                corners,
                fill=item.fill,
                outline=item.ink if item.width else None,
                width=max(1, round(item.width * dots)),
            )
        else:
            font = ImageFont.load_default(max(item.size * dots, 4))
            anchor = {"start": "ls", "middle": "ms", "end": "rs"}[item.anchor]
            at = item.at[0] * dots, item.at[1] * dots
            pen.text(
                at,
                item.text,
                fill=item.ink,
                font=font,
                anchor=anchor,
                stroke_width=round(item.size * dots / 40) if item.bold else 0,
            )
    out = io.BytesIO()
    card.save(out, "PNG", dpi=(dots * INCH, dots * INCH), compress_level=4)
    return out.getvalue()


def _png(picture: Pixels) -> bytes:
    out = io.BytesIO()
    Pictures.fromarray(on_paper(picture)).save(out, "PNG", compress_level=4)
    return out.getvalue()


def as_svg(page: Page, picture: Pixels) -> bytes:
    """The page as an SVG 1.1 whose user unit is a millimetre."""
    x, y, w, h = page.picture
    data = base64.b64encode(_png(picture)).decode("ascii")
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="{page.width:.3f}mm" height="{page.height:.3f}mm" '
        f'viewBox="0 0 {page.width:.3f} {page.height:.3f}">',
        f"<title>{escape(page.title)}</title>",
        f'<rect width="100%" height="100%" fill="{PAPER}"/>',
        f'<image x="{x:.3f}" y="{y:.3f}" width="{w:.3f}" height="{h:.3f}" preserveAspectRatio="none" xlink:href="data:image/png;base64,{data}"/>',
    ]
    for item in page.items:
        if isinstance(item, Line):
            (a, b), (c, d) = item.a, item.b
            parts.append(
                f'<line x1="{a:.3f}" y1="{b:.3f}" x2="{c:.3f}" y2="{d:.3f}" stroke="{item.ink}" stroke-width="{item.width:g}"/>'
            )
        elif isinstance(item, Shape):
            corners = " ".join(f"{u:.3f},{v:.3f}" for u, v in item.points)
            edge = f' stroke="{item.ink}" stroke-width="{item.width:g}"' if item.width else ""
            parts.append(f'<polygon points="{corners}" fill="{item.fill}"{edge}/>')
        else:
            weight = ' font-weight="600"' if item.bold else ""
            parts.append(
                f'<text x="{item.at[0]:.3f}" y="{item.at[1]:.3f}" font-size="{item.size:g}" font-family="sans-serif" text-anchor={quoteattr(item.anchor)} '
                f'fill="{item.ink}"{weight}>{escape(item.text)}</text>'
            )
    return ("\n".join([*parts, "</svg>"]) + "\n").encode("utf-8")


def as_pdf(page: Page, picture: Pixels) -> bytes:
    """The page as a PDF of its true size: printed at 100 % it is to scale. Letters its font has not are written as question marks."""
    # Loaded where a plan is written as PDF.
    from fpdf import FPDF

    pdf = FPDF(unit="mm", format=(page.width, page.height))
    pdf.set_auto_page_break(False)
    pdf.set_margin(0)
    pdf.set_title(page.title)
    pdf.add_page()
    pdf.set_fill_color(PAPER)
    pdf.rect(0, 0, page.width, page.height, style="F")
    pdf.image(Pictures.fromarray(on_paper(picture)), *page.picture)
    for item in page.items:
        if isinstance(item, Line):
            pdf.set_draw_color(item.ink)
            pdf.set_line_width(item.width)
            pdf.line(*item.a, *item.b)
        elif isinstance(item, Shape):
            pdf.set_fill_color(item.fill)
            pdf.set_draw_color(item.ink)
            pdf.set_line_width(item.width or 0.1)
            pdf.polygon(item.points, style="DF" if item.width else "F")
        else:
            pdf.set_font("Helvetica", "B" if item.bold else "", item.size * 72 / INCH)
            pdf.set_text_color(item.ink)
            text = item.text.replace("…", "...").encode("latin-1", "replace").decode("latin-1")
            wide = pdf.get_string_width(text)
            pdf.text(
                item.at[0] - {"start": 0.0, "middle": wide / 2, "end": wide}[item.anchor], item.at[1], text
            )
    return bytes(pdf.output())


FORMS: dict[str, Callable[[Page, Pixels], bytes]] = {"png": as_png, "svg": as_svg, "pdf": as_pdf}
"""What a plan is written as."""


def stems(name: str, storeys: Sequence[str], every: bool) -> list[str]:
    """Names of a level's plans without endings: one for each of its storeys, or of the one that is drawn."""
    base = _plain(name)
    return [f"{base}_{_plain(s)}" if every else f"{base}_plan" for s in storeys]


def _plain(name: str) -> str:
    """A name as part of a file name."""
    return re.sub(r"[^\w-]+", "_", name).strip("_").lower() or "plan"
