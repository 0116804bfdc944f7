"""Colours by role, each with a day and a night value, and one scale of sizes. Everything drawn takes them from here."""

from __future__ import annotations

from dataclasses import dataclass, fields
from importlib import resources

SANS = "Atkinson Hyperlegible Next"
MONO = "Atkinson Hyperlegible Mono"

#: One spacing scale. [px]
SPACE_S, SPACE_M, SPACE_L = 6, 12, 18
RADIUS = 10
RAIL_WIDTH = 92
#: Of the window, when it opens. [px]
WINDOW = (1280, 800)
SIDE_WIDTH = 304


@dataclass(frozen=True)
class Palette:
    """One theme. Colour carries meaning once: ember heat, slate air, ink bean, plum rate, moss plan and in tolerance."""

    name: str
    paper: str  #: ground of the window
    card: str  #: ground of what is read
    lane: str  #: ground of secondary lanes
    ink: str  #: text, and the bean curve
    soft: str  #: secondary text
    line: str  #: edges and grids
    rail: str
    rail_text: str
    rail_soft: str
    ember: str
    on_ember: str
    slate: str
    plum: str
    moss: str
    moss_band: str
    amber: str
    drum: str
    field: str  #: ground of entry fields
    hover: str
    selected: str


DAY = Palette(
    name="day", paper="#f4efe6", card="#fcfaf5", lane="#f8f4ec", ink="#1c262b", soft="#56636a", line="#dcd4c4",
    rail="#22303a", rail_text="#e4e8e6", rail_soft="#a9b5b9", ember="#b23c14", on_ember="#ffffff", slate="#2b5f92",
    plum="#792c60", moss="#456a2a", moss_band="#cddab8", amber="#855400", drum="#66717a", field="#ffffff",
    hover="#ece5d8", selected="#e3d9c6",
)  # fmt: skip

NIGHT = Palette(
    name="night", paper="#14181b", card="#1d2327", lane="#191e22", ink="#f0ebe0", soft="#a9b2b4", line="#373f45",
    rail="#0c1012", rail_text="#dfe4e2", rail_soft="#93a0a5", ember="#ff9468", on_ember="#20120a", slate="#86b8e6",
    plum="#e2a5cf", moss="#a5cc82", moss_band="#37482a", amber="#ecbd62", drum="#939ea6", field="#252c31",
    hover="#2a3136", selected="#343d43",
)  # fmt: skip

PALETTES = {palette.name: palette for palette in (DAY, NIGHT)}


def tokens(palette: Palette) -> dict[str, str]:
    """All that the style sheet may name: the colours by role, the fonts and the sizes."""
    values = {field.name: getattr(palette, field.name) for field in fields(palette)}
    return values | {
        "sans": SANS,
        "mono": MONO,
        "space_s": f"{SPACE_S}px",
        "space_m": f"{SPACE_M}px",
        "space_l": f"{SPACE_L}px",
        "radius": f"{RADIUS}px",
        "chevron": str(resources.files("firnel.resources") / "icons" / f"chevron-{palette.name}.svg"),
    }


def contrast(first: str, second: str) -> float:
    """Contrast ratio of two colours, 1 to 21, as WCAG 2.1 defines it (relative luminance, 1.4.3)."""

    def luminance(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255.0 for i in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    light, dark = sorted((luminance(first), luminance(second)), reverse=True)
    return (light + 0.05) / (dark + 0.05)
