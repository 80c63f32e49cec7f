"""Remakes the fonts and icons of src/customs_desktop/style from the npm packages they come from.

Run after `npm install --prefix build/style @fontsource/barlow-semi-condensed lucide-static` with fonttools
and brotli.
"""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from fontTools.ttLib import TTFont

WEIGHTS = (400, 500, 600, 700)
ICONS = """arrow-down-to-line check chevron-down file file-box folder folder-open footprints ghost grid-3x3 image layers package-open pause person-standing plane-landing
play plus repeat ruler scan search skip-back spline stamp step-back step-forward swatch-book x""".split()


def main(source: Path, target: Path) -> None:
    """Convert and copy."""
    fonts, icons = target / "fonts", target / "icons"
    fonts.mkdir(parents=True, exist_ok=True)
    icons.mkdir(parents=True, exist_ok=True)
    barlow = source / "@fontsource" / "barlow-semi-condensed"
    for weight in WEIGHTS:
        font = TTFont(barlow / "files" / f"barlow-semi-condensed-latin-{weight}-normal.woff2")
        font.flavor = None
        font.save(fonts / f"BarlowSemiCondensed-{weight}.ttf")
    shutil.copy(barlow / "LICENSE", fonts / "LICENSE")
    lucide = source / "lucide-static"
    for name in ICONS:
        shutil.copy(lucide / "icons" / f"{name}.svg", icons / f"{name}.svg")
    shutil.copy(lucide / "LICENSE", icons / "LICENSE")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(__file__).parents[1] / "src" / "customs_desktop" / "style")
