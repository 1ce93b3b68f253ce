"""The rules of Print: which numbers F1 puts into their texts."""

from __future__ import annotations

import fusilex.bench.stations.print.jars as paste_here
import fusilex.bench.stations.print.stencil as stencil_here
from fusilex.bench.common.rule_numbers import paste, sheet, window
from fusilex.core import similarity
from fusilex.core.printing import (
    alignment,
    apertures,
    choosing,
    dots,
    jig,
    landing,
    looking,
    release,
    risks,
    weighing,
    wiping,
)
from fusilex.core.printing import paste as paste_of
from fusilex.core.quantities import write
from fusilex.core.rule import constant, rule
from fusilex.core.wet_paste import ahead, air, jar

RULES = {
    "print.age": rule(tack=paste("tack_h", "h"), longest=paste("longest_h", "h")),
    "print.release": rule(
        go=constant(apertures, "AREA_GO"),
        care=constant(apertures, "AREA_STOP"),
        aspect=constant(apertures, "ASPECT_GO"),
        coated=constant(release, "COATED_STOP"),
    ),
    "print.hidden": rule(),
    "print.joined": rule(under=constant(apertures, "UNDER", "%", times=100)),
    "print.mass": rule(
        steepness=constant(paste_of, "TRANSFER_STEEPNESS"), middle=constant(paste_of, "TRANSFER_MIDDLE")
    ),
    "print.powder": rule(
        straight=constant(paste_of, "BALLS_ACROSS_RECTANGLE"), round=constant(paste_of, "BALLS_ACROSS_ROUND")
    ),
    "print.land": rule(
        care=constant(risks, "OVER_CARE", "%", times=100), stop=constant(risks, "OVER_STOP", "%", times=100)
    ),
    "print.web": rule(care=constant(risks, "WEB_CARE", "mm"), stop=constant(risks, "WEB_STOP", "mm")),
    "print.missing": rule(),
    "print.windows": rule(
        big=constant(risks, "BIG_PAD_MM2", "mm²"), covered=constant(risks, "COVERED", "%", times=100)
    ),
    "print.aligned": rule(
        **{
            "pad go": constant(landing, "ON_PAD_GO", "%", times=100),
            "pad stop": constant(landing, "ON_PAD_STOP", "%", times=100),
            "gap go": constant(landing, "GAP_GO", "mm"),
            "gap stop": constant(landing, "GAP_STOP", "mm"),
            "share go": constant(landing, "GAP_SHARE_GO", "%", times=100),
            "share stop": constant(landing, "GAP_SHARE_STOP", "%", times=100),
        },
        prints=constant(stencil_here, "LOOK_EVERY"),
        read=constant(alignment, "EYES", "mm", (0,)),
    ),
    "print.misread": rule(
        chance=constant(similarity, "FALSE_ALARM", "%", times=100), least=constant(similarity, "SEEN_MM", "mm")
    ),
    "print.slip": rule(most=constant(alignment, "SLIP_MM", "mm")),
    "print.stretch": rule(seen=constant(alignment, "STRETCH_SEEN", "mm per m", times=1000)),
    "print.look": rule(width=constant(looking, "FINE_WIDTH_MM", "mm"), web=constant(looking, "FINE_WEB_MM", "mm")),
    "print.first": rule(pause=constant(wiping, "PAUSE_H", "h")),
    "print.wipe": rule(every=constant(wiping, "USUAL_EVERY"), learnt=constant(wiping, "LEARNT_FROM")),
    "print.drift": rule(
        sigma=constant(weighing, "RANGE_SIGMA"),
        weight=constant(weighing, "LAMBDA"),
        limit=constant(weighing, "LIMIT"),
        far=constant(weighing, "FAR"),
    ),
    "print.transfer": rule(allowed=constant(weighing, "TRANSFER_LIMITS"), hard=constant(weighing, "TRANSFER_HARD")),
    "print.ahead": rule(tack=paste("tack_h", "h"), parts=constant(ahead, "MOST_PACE")),
    "print.room": rule(
        **{
            "best c": constant(air, "BEST_C", "°C"),
            "best rh": constant(air, "BEST_RH", "%"),
            "hard c": constant(air, "HARD_C", "°C"),
            "damp": constant(air, "HARD_RH", "%", (1,)),
            "dry": constant(air, "BEST_RH", "%", (0,)),
        }
    ),
    "print.jig": rule(care=constant(jig, "STEP_CARE_MM", "mm"), stop=constant(jig, "STEP_STOP_MM", "mm")),
    "print.way": rule(
        pitch=constant(choosing, "STENCIL_PITCH_MM", "mm"),
        chip=constant(choosing, "STENCIL_CHIP_MM", "mm"),
        setup=constant(choosing, "STENCIL_MIN", "min"),
        print=constant(choosing, "PRINT_MIN", "min"),
        dot=constant(dots, "DOT_S", "s"),
        pad=constant(dots, "PAD_S", "s"),
        tin=constant(choosing, "TIN_PAD_S", "s"),
    ),
    "print.alloy": rule(peak=window("peak", "°C")),
    "print.support": rule(),
    "print.blade": rule(beyond=constant(jig, "BEYOND_MM", "mm")),
    "jar.life": rule(
        life=lambda batch: tuple(f"{write(h, 'h')} at {write(c, '°C')}" for c, h in sheet(batch).life),
        care=constant(jar, "LIFE_CARE", "%", times=100),
        stop=constant(jar, "LIFE_STOP", "%", times=100),
    ),
    "jar.frozen": rule(coldest=constant(jar, "FROZEN_C", "°C")),
    "jar.cold": rule(
        under=constant(jar, "UNDER_ROOM_C", "K"),
        jar=constant(jar, "JAR_TAU_H", "h"),
        syringe=constant(jar, "SYRINGE_TAU_H", "h"),
    ),
    "jar.opened": rule(care=constant(jar, "OPENED_CARE_H", "h"), stop=constant(jar, "OPENED_STOP_H", "h")),
    "jar.stirred": rule(),
    "jar.expired": rule(),
    "jar.left": rule(bead=constant(paste_here, "BEAD_MG", "g", times=0.001)),
    "dots.needle": rule(balls=constant(dots, "BALLS_ACROSS_NEEDLE")),
    "dots.size": rule(
        care=lambda batch: 1 / dots.TOO_MUCH[0],
        stop=lambda batch: 1 / dots.TOO_MUCH[1],
        dots=constant(dots, "WEIGHED_DOTS"),
    ),
    "dots.cold": rule(cold=constant(dots, "COLD_C", "°C")),
}
