"""Made-up kit folders that demo packages go into: documents with their own indentation, comments and line ends, and things they name."""

from __future__ import annotations

import hashlib
import json
import zipfile
from pathlib import Path

ATTACHMENTS = """<?xml version="1.0" encoding="utf-8"?>\r
<!-- What hangs where in the east wing. Keep the order: the lamplighter walks it. -->\r
<attachments version="7">\r
\t<things>\r
\t\t<thing name="fern_pot" file="props/fern_pot.zip" model="fern_pot.glb" triangles="212">\r
\t\t\t<post name="hook"   path="0/3"/> <!-- under the rim -->\r
\t\t</thing>\r
\t\t<thing name='watering_can' file='props/watering_can.zip' model='can.glb' triangles='640'/>\r
\t</things>\r
\t<notes><![CDATA[<thing> elements may hold posts & nothing else]]></notes>\r
</attachments>\r
"""


def write_attachment_kit(folder: Path) -> Path:
    """The kit of the sheet attachment-kit: a document with a mark and CRLF, two things it names."""
    (folder / "data").mkdir(parents=True, exist_ok=True)
    (folder / "props").mkdir(exist_ok=True)
    (folder / "data" / "attachments.xml").write_bytes(b"\xef\xbb\xbf" + ATTACHMENTS.encode())
    for name in ("fern_pot", "watering_can"):
        with zipfile.ZipFile(folder / "props" / f"{name}.zip", "w") as archive:
            archive.writestr(zipfile.ZipInfo("read.me", (1980, 1, 1, 0, 0, 0)), f"{name} of the glasshouse\n")
    return folder


ITEMS = """// The caf\u00e9 and the wings: the order is the walk of the lamplighters.
version 12
items
{
    include "items/fern_stand/item.txt"   // east wing
    include "items/bench/item.txt"
}
"""


def write_config_kit(folder: Path) -> Path:
    """The kit of the sheet config-text-kit: a list in Latin-1 with blanks, two items it names."""
    (folder / "data").mkdir(parents=True, exist_ok=True)
    (folder / "data" / "items.txt").write_bytes(ITEMS.encode("latin-1"))
    for name in ("fern_stand", "bench"):
        (folder / "items" / name).mkdir(parents=True, exist_ok=True)
        (folder / "items" / name / "item.txt").write_text(
            f'item "{name}"\n{{\n    title "{name}"\n}}\n', "utf-8"
        )
    return folder


NUMBERED = """// Every item of the glasshouse shop. Copy one, never start from nothing.
items
{
	item fern_lamp
	{
		number 12007
		title "Fern lamp"
		model "items/12007_fern_lamp/fern_lamp.glb"
		icon "items/12007_fern_lamp/fern_lamp_icon.png"
		weight 3.5    // in watering cans
		shelf "east"
	}
	item brass_trowel
	{
		number 12008
		title "Brass trowel"
		model "items/12008_brass_trowel/brass_trowel.glb"
		icon "items/12008_brass_trowel/brass_trowel_icon.png"
		weight 0.4
		shelf "west"
	}
}
"""


def write_numbered_kit(folder: Path) -> Path:
    """The kit of the sheet numbered-item-kit: two items, numbers kept back, its edition."""
    (folder / "data").mkdir(parents=True, exist_ok=True)
    (folder / "data" / "items.txt").write_text(NUMBERED, "utf-8")
    (folder / "data" / "kept_back.txt").write_text(
        "12001 the keeper\n12002 the keeper\n12009 the lamplighter\n", "utf-8"
    )
    (folder / "data" / "version.txt").write_text("glasshouse shop, edition 4\n", "utf-8")
    for number, name in ((12007, "fern_lamp"), (12008, "brass_trowel")):
        place = folder / "items" / f"{number}_{name}"
        place.mkdir(parents=True, exist_ok=True)
        for file in (f"{name}.glb", f"{name}_icon.png"):
            (place / file).write_bytes(f"{file} of the glasshouse\n".encode())
    return folder


def write_mirror_kit(folder: Path) -> Path:
    """The kit of the sheet mirror-bundle-kit: packs of the glasshouse by the names of the demo's goods, and their index."""
    packs = folder / "packs"
    packs.mkdir(parents=True, exist_ok=True)
    rows = []
    for name in ("hedgehog", "pane_wall", "sundial"):
        with zipfile.ZipFile(packs / f"{name}.zip", "w") as archive:
            archive.writestr(
                zipfile.ZipInfo(f"models/{name}.glb", (1980, 1, 1, 0, 0, 0)), f"{name} as it was\n"
            )
        data = (packs / f"{name}.zip").read_bytes()
        rows.append({"path": f"{name}.zip", "size": len(data), "sha256": hashlib.sha256(data).hexdigest()})
    (packs / "index.json").write_text(json.dumps({"files": rows}, indent=1) + "\n", "utf-8")
    return folder


KITS = {
    "attachment-kit": write_attachment_kit,
    "config-text-kit": write_config_kit,
    "numbered-item-kit": write_numbered_kit,
    "mirror-bundle-kit": write_mirror_kit,
}
"""Writers of the kit folders, by sheet."""
