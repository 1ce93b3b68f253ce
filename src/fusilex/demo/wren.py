"""Wren, a soil-moisture stake by the made-up Saltreed Instruments: one side of copper, large parts, a syringe and a
skillet.
"""

from __future__ import annotations

from fusilex.demo.described import Described, rows_of

WIDTH, HEIGHT = 34.0, 22.0
# ref | body | value | x | y | turn | side | nets in pin order
_PARTS = """
U1  | SOIC-8 | control 8 | 17.0 | 11.5 | 0 | top | RST SENSE LED GND TX DRIVE U1.7 3V3
U2  | SOT-23 | regulator 3.3 V | 9.0 | 17.5 | 0 | top | GND 3V3 VIN
Q1  | SOT-23 | nMOS 30 V | 25.5 | 6.0 | 0 | top | DRIVE GND STAKE
D1  | LED 0805 | green | 17.5 | 3.0 | 0 | top | GND LED_R
D2  | SOD-123 | 40 V | 4.0 | 11.5 | 90 | top | VIN VBATT
R1  | 0805 (2012) | 10 k | 12.0 | 18.6 | 0 | top | 3V3 RST
R2  | 0805 (2012) | 1 k | 12.0 | 3.0 | 0 | top | LED LED_R
R3  | 0805 (2012) | 100 k | 24.5 | 10.0 | 0 | top | DRIVE GND
R4  | 0805 (2012) | 4.7 k | 10.0 | 12.0 | 90 | top | SENSE 3V3
C1  | 0805 (2012) | 10 uF | 4.8 | 18.6 | 0 | top | VIN GND
C2  | 0805 (2012) | 100 nF | 24.0 | 15.0 | 0 | top | 3V3 GND
C3  | 0805 (2012) | 1 uF | 17.0 | 18.6 | 0 | top | 3V3 GND
C4  | 0805 (2012) | 100 nF | 10.0 | 8.0 | 90 | top | GND SENSE
J1  | Header 1x3 2.54 | cable 3-way | 4.5 | 4.5 | 0 | top | SENSE GND VBATT
TP1 | Test pad 1.0 | STAKE | 30.5 | 6.0 | 0 | top | STAKE
TP2 | Test pad 1.0 | TX | 22.5 | 7.6 | 0 | top | TX
"""

WREN = Described(
    title="Wren",
    prefix="wren",
    width=WIDTH,
    height=HEIGHT,
    rows=rows_of(_PARTS),
    holes=((31.0, 19.0), (31.0, 12.5)),
    hole_drill=2.2,
    readme="Wren, a soil-moisture stake, by the made-up Saltreed Instruments.\n"
    "Everything here is invented and generated: python -m fusilex.demo writes it again.\n"
    "One side of copper, made one by one: a syringe, tweezers and a skillet.\n",
    layers=("top",),
    least_track=0.3,
    titles={"top": (("WREN", 28.0, 15.5),)},
    part_numbers={
        "control 8": "SR-0431",
        "regulator 3.3 V": "SR-0306",
        "nMOS 30 V": "SR-0232",
        "cable 3-way": "SR-0731",
    },
    x2=False,
)
