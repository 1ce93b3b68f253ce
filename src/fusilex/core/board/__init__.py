"""The board itself: layers, pads, nets, parts, panel."""
