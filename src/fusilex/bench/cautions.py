"""The usual cautions of each station (and of bare boards and etching at Ready), shown once per batch. Data sheets, local rules and qualified people come first."""

from __future__ import annotations

CAUTIONS: dict[str, tuple[str, ...]] = {
    "Bare boards": (
        "Isopropyl burns: no hot plate, oven or iron near it; open the window.",
        "Edges and slivers cut; board dust is bad for lungs: cut wet, or with extraction and a mask.",
    ),
    "Etching": (
        "Etchant burns eyes and skin and eats metal: goggles, gloves, apron, moving air, a second container under the bath.",
        "Never down the drain: spent etchant and rinse water are hazardous waste under local rules. Its data sheet comes first.",
    ),
    "Kit": (
        "Touch the strap tester before you open a bag; static kills parts without a mark.",
        "Bake moisture-sensitive parts only by their label, never in a food oven; trays are hot.",
    ),
    "Print": (
        "Foil edges cut: wear gloves when you carry the stencil.",
        "Gloves for paste, no food or drink, wash your hands. Leaded paste: local lead rules apply.",
        "Isopropyl burns: keep it away from hot plates and ovens.",
        "Waste paste and wipes are hazardous waste under local rules.",
    ),
    "Place": (
        "Keep hands out while a machine homes or runs; know its stop button.",
        "Strap on for static-sensitive parts.",
    ),
    "Reflow": (
        "An oven used for boards is never used for food again.",
        "Fumes: extraction or outside air. Never leave it running alone.",
        "Board and tray stay hot: handle below 50 °C.",
        "Mains wiring of a modified oven is a qualified person's job.",
    ),
    "Hand": (
        "The iron burns; fumes need extraction; wear eye protection when trimming leads.",
        "Leaded wire: wash your hands before you eat.",
    ),
    "Rework": ("Hot air and preheater burn; keep flammables away and extract the fumes.",),
    "Test": (
        "Power off and discharge the board before resistance readings. Take the coin cell out.",
        "First power with a current limit. Anything on mains is for a qualified person under local rules.",
    ),
    "Release": ("Board dust: cut with extraction and a mask. Edges of snapped boards are sharp.",),
}
