"""Made-up kit folders that demo packages go into: documents with their own indentation, comments and line ends, and things they name."""

from __future__ import annotations

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


KITS = {"attachment-kit": write_attachment_kit, "config-text-kit": write_config_kit}
"""Writers of the kit folders, by sheet."""
