"""Heron R2, a tide-level logger by the made-up Saltreed Instruments: the compact description it is generated from."""

from __future__ import annotations

from fusilex.core.panel.layout import Panel
from fusilex.demo.described import Described, rows_of

WIDTH, HEIGHT = 44.0, 31.0
# ref | body | value | x | y | turn | side | nets in pin order
_PARTS = """
U1  | QFN-32 5x5 | control 32 | 17 | 15.5 | 0 | top | \
VBAT OSC_IN OSC_OUT NRST 3V3 USB_DM USB_DP VBUS_S  REED IO10 IO11 IO12 SENS_EN SCL SDA GND  3V3 \
MEM_CS MEM_CK MEM_DI MEM_DO IO22 SWDIO SWCLK  \
LED_A LED_G IO27 TXD RXD BOOT GND 3V3  GND
U2  | SOT-23-5 | buck 3.3 V | 22.2 | 24.6 | 0 | top | VIN_F GND SW VIN_F FB
U3  | SOIC-8 | memory 32 Mbit | 27.5 | 13.5 | 0 | top | MEM_CS MEM_DO 3V3 GND MEM_DI MEM_CK 3V3 3V3
Q1  | SOT-23 | pMOS 30 V | 32.4 | 20.4 | 0 | top | VGATE VIN VIN_RAW
Q2  | SOT-23 | nMOS 30 V | 35.5 | 7.0 | 180 | top | SENS_EN GND SENS_RTN
L1  | Inductor 4x4 | 4.7 uH | 16.6 | 24.4 | 180 | top | SW VREG
L2  | Choke 7x7 | 100 uH | 30.5 | 11.5 | 90 | bottom | VIN VIN_F
Y1  | Crystal 3215 | 32.768 kHz | 10.5 | 16.6 | 90 | top | OSC_OUT OSC_IN
J1  | USB receptacle | USB receptacle | 2.2 | 15.5 | 0 | top | VBUS UDM UDP CC GND GND GND GND GND
J2  | Sensor connector 4 x 1.0 | 4-way | 40.9 | 8.5 | 0 | top | 3V3 SDA SCL SENS_RTN GND GND
J3  | Screw terminal 5.08 | 2-way | 39.4 | 22.5 | 90 | top | VIN_RAW GND
S1  | Reed 14 | reed switch | 20.5 | 3.2 | 0 | top | REED_S GND
BT1 | Coin holder 12 | cell holder | 28.0 | 22.3 | 0 | bottom | VCOIN GND VCOIN
D1  | SOD-123 | 40 V | 6.2 | 23.0 | 270 | top | VIN_F VBUS
D2  | LED 0603 | amber | 9.0 | 28.6 | 0 | top | GND LEDA_R
D3  | LED 0603 | green | 9.0 | 26.6 | 0 | top | GND LEDG_R
D4  | SOD-323 | 75 V | 9.5 | 21.2 | 180 | top | VBAT VCOIN
C1  | Electrolytic can 6.3 | 47 uF | 29.0 | 26.6 | 0 | top | VIN_F GND
C2  | 0603 (1608) | 10 uF | 22.7 | 28.9 | 0 | top | VIN_F GND
C3  | 0603 (1608) | 10 uF | 16.6 | 28.0 | 180 | top | GND VREG
C4  | 0402 (1005) | 100 nF | 11.4 | 12.2 | 0 | top | GND 3V3
C5  | 0402 (1005) | 100 nF | 21.9 | 13.4 | 270 | top | 3V3 GND
C6  | 0402 (1005) | 100 nF | 15.2 | 20.3 | 180 | top | 3V3 GND
C7  | 0402 (1005) | 1 uF | 17.6 | 20.3 | 0 | top | 3V3 GND
C8  | 0402 (1005) | 12 pF | 12.3 | 17.9 | 90 | top | OSC_IN GND
C9  | 0402 (1005) | 12 pF | 12.3 | 14.6 | 270 | top | OSC_OUT GND
C10 | 0402 (1005) | 100 nF | 27.5 | 17.2 | 180 | top | 3V3 GND
C11 | 0402 (1005) | 10 nF | 12.3 | 21.4 | 0 | top | GND NRST
C12 | 0603 (1608) | 4.7 uF | 7.6 | 18.3 | 0 | top | VBUS GND
C13 | 0402 (1005) | 100 nF | 10.5 | 12.6 | 0 | bottom | VBAT GND
C14 | 0603 (1608) | 1 uF | 20.5 | 10.5 | 0 | bottom | 3V3 GND
R1  | 0402 (1005) | 10 k | 12.3 | 19.8 | 0 | top | 3V3 NRST
R2  | 0402 (1005) | 5.1 k | 7.4 | 14.2 | 0 | top | CC GND
R3  | 0402 (1005) | 10 k | 7.4 | 13.0 | 0 | top | VBUS VBUS_S
R4  | 0402 (1005) | 22 | 7.4 | 16.6 | 0 | top | UDM USB_DM
R5  | 0402 (1005) | 22 | 7.4 | 15.4 | 0 | top | UDP USB_DP
R6  | 0402 (1005) | 1 k | 12.4 | 28.6 | 180 | top | LED_A LEDA_R
R7  | 0402 (1005) | 1 k | 12.4 | 26.9 | 180 | top | LED_G LEDG_R
R8  | 0402 (1005) | 100 k | 20.3 | 27.6 | 0 | top | VREG FB
R9  | 0402 (1005) | 31.6 k | 20.3 | 29.2 | 180 | top | FB GND
R10 | 0402 (1005) | 4.7 k | 18.2 | 9.6 | 90 | top | 3V3 SCL
R11 | 0402 (1005) | 4.7 k | 19.6 | 9.6 | 90 | top | 3V3 SDA
R12 | 0402 (1005) | 10 k | 16.6 | 9.6 | 90 | top | GND SENS_EN
R13 | 0402 (1005) | 100 k | 32.4 | 17.6 | 0 | top | VGATE GND
R14 | 0603 (1608) | 0.1 | 12.1 | 24.4 | 90 | top | 3V3 VREG
R15 | 0402 (1005) | 220 | 14.6 | 9.8 | 90 | top | REED_S REED
R16 | 0402 (1005) | 10 k | 17.0 | 12.6 | 0 | bottom | BOOT GND
R17 | 0402 (1005) | 1 M | 14.0 | 12.6 | 0 | bottom | 3V3 REED
FID1 | Fiducial 1.0 | fiducial | 5.9 | 28.9 | 0 | top | -
FID2 | Fiducial 1.0 | fiducial | 36.0 | 29.4 | 0 | top | -
FID3 | Fiducial 1.0 | fiducial | 34.6 | 2.4 | 0 | top | -
TP1 | Test pad 1.0 | SWDIO | 22.8 | 18.4 | 0 | top | SWDIO
TP2 | Test pad 1.0 | SWCLK | 22.8 | 20.0 | 0 | top | SWCLK
TP3 | Test pad 1.0 | TXD | 24.6 | 18.4 | 0 | top | TXD
TP4 | Test pad 1.0 | RXD | 24.6 | 20.0 | 0 | top | RXD
"""


def heron_panel() -> Panel:
    """3 × 2 boards, 2 mm strips between columns, 7 mm rails left and right, score lines along every board edge."""
    rail, strip = 7.0, 2.0
    width, height = 2 * rail + 3 * WIDTH + 2 * strip, 2 * HEIGHT
    xs = [rail + c * (WIDTH + strip) + e for c in range(3) for e in (0.0, WIDTH)]
    scores = (((0.0, HEIGHT), (width, HEIGHT)), *(((x, 0.0), (x, height)) for x in xs))
    fiducials = (("P1", 3.5, 5.0), ("P2", width - 3.5, 5.0), ("P3", 3.5, height - 5.0))
    tooling = ((3.5, 10.0), (width - 3.5, 10.0), (3.5, height - 10.0), (width - 3.5, height - 10.0))
    return Panel(3, 2, WIDTH + strip, HEIGHT, rail, 0.0, width, height, WIDTH, HEIGHT, fiducials, tooling, scores)


HERON = Described(
    title="Heron R2",
    prefix="heron-r2",
    width=WIDTH,
    height=HEIGHT,
    rows=rows_of(_PARTS),
    holes=((2.6, 28.4), (2.6, 2.6), (41.4, 2.4)),
    hole_drill=2.2,
    panel=heron_panel(),
    readme="Heron R2, a tide-level logger for a marsh survey, by the made-up Saltreed Instruments.\n"
    "Everything here is invented and generated: python -m fusilex.demo writes it again.\n"
    "One board; panel.json steps it 3 x 2. oven-run-1.csv is the log of a made-up oven run.\n",
    track_widths={
        "VBUS": 0.3,
        "VIN_RAW": 0.4,
        "VIN": 0.4,
        "VIN_F": 0.3,
        "SW": 0.4,
        "VREG": 0.4,
        "3V3": 0.2,
        "VCOIN": 0.2,
    },
    titles={"top": (("HERON R2", 36.6, 15.2), ("SALTREED", 24.2, 6.6)), "bottom": (("HERON R2", 37.0, 28.4),)},
    part_numbers={  # the made-up workshop's own stock numbers; lines without one get a number from value and body
        "control 32": "SR-0410",
        "memory 32 Mbit": "SR-0422",
        "buck 3.3 V": "SR-0305",
        "pMOS 30 V": "SR-0231",
        "nMOS 30 V": "SR-0232",
        "USB receptacle": "SR-0701",
        "4-way": "SR-0714",
        "2-way": "SR-0720",
        "reed switch": "SR-0833",
        "cell holder": "SR-0850",
        "100 uH": "SR-0561",
        "4.7 uH": "SR-0552",
    },
)
