"""How lists call their columns, in several languages and habits; and words for sides."""

from __future__ import annotations

import re

from fusilex.formats.lists.tables import ListKind

REF = (
    r"refs?|references?|designators?|designations?|refdes|ref des|reference designators?|parts?|components?"
    r"|part refs?|bezeichner|bauteile?|kennung|rep[eè]res?|r[ée]f[ée]rences?|referenz(?:en)?|referencias?"
    r"|riferimenti?o?|positionsnummer"
)


_VALUE = r"values?|val|comments?|description value|wert|valeur|valore|waarde|part value"


_BODY = (
    r"body|bodies|package|footprint|pattern|case|size|pkg|geh[äa]use|bauform|bo[iî]tier|empreinte|encapsulado"
    r"|huella|contenitore|package name|land pattern"
)


_UNIT = r"(?: ?(?:in )?[\(\[]?(?:mm|mils?|in|inch|thou|[uµμ]m|microns?)[\)\]]?)?"


_WHERE = (
    r"mid|cent(?:er|re|ro)|mitte|pos(?:i[tz]ione?)?|loc(?:ation)?|coord(?:inate?s?|onn[ée]es?|enadas?|inata)?"
    r"|koord(?:inaten?)?"
)


_PLACE = rf"(?:(?:{_WHERE}|measured|placement|body) ?)?"


_AFTER = rf"(?: ?(?:{_WHERE}))?"


PLACEMENTS = ListKind(
    {
        "ref": REF,
        "x": _PLACE + "x" + _AFTER + _UNIT,
        "y": _PLACE + "y" + _AFTER + _UNIT,
        "rotation": (
            r"(?:rot(?:ation)?|turn|angle|orientation|theta|drehung|(?:dreh)?winkel|angolo|rotaci[óo]n"
            r"|rotazione)(?: ?[\(\[]?(?:deg|degrees|°)[\)\]]?)?"
        ),
        "side": (
            r"(?:board |pcb |mount(?:ing)? |placement |layer )?side|layer(?: name)?|t ?b|top ?bot(?:tom)?|surface"
            r"|face|(?:best[üu]ckungs)?seite|lage|c[ôo]t[ée]|cara|lado|lato"
        ),
        "mirror": r"mirror(?:ed)?|flip(?:ped)?|gespiegelt|miroir|specchiato|espejado",
        "package": _BODY,
        "value": _VALUE,
        "populate": r"fit|fitted|populated?|mounted|place|dn[pfi]|do not (?:fit|populate|place)|best[üu]ckt",
    },
    {
        "ref": r"[A-Za-z_]{1,6}\d{1,5}[A-Za-z]?",
        "side": r"[a-zA-Zéèôüäößñ]+(?:[ _]?(?:layer|side|copper|seite))?|[12]|[tbf]|[\u4e00-\u9fff]{1,4}",
        "rotation": rf"[-+]?(?:{'|'.join(str(n) for n in range(0, 361, 15))})(?:[.,]0{{1,4}})?(?: ?(?:deg|°))?",
        "x": r"[-+]?\d*[.,]?\d+(?: ?(?:mm|mils?|in|inch|[uµμ]m|\"))?",
        "y": r"[-+]?\d*[.,]?\d+(?: ?(?:mm|mils?|in|inch|[uµμ]m|\"))?",
    },
    ("ref", "x", "y"),
    {
        "ref": r"names?|nom|symbol|id|comp(?:onent)? ?(?:id|name)|item",
        "x": r"(?:ref|pad|pin 1) ?x" + _UNIT,
        "y": r"(?:ref|pad|pin 1) ?y" + _UNIT,
        "rotation": r"r|a|deg(?:rees?)?",
        "package": r"device",
    },
)


_MAKER = r"(?:manufacturer|mfr|mfg|maker|supplier|vendor|distributor|fabricant|hersteller|lieferant(?:en)?)s?(?: s)?"


_NUMBER = (
    r"(?:(?:part|item|stock|order(?:ing)?|article|artikel|bestell) ?)?(?:numbers?|no|num|nr|nummer|code|pn|p n"
    r"|ref(?:erence)?|sku)"
)


BOM = ListKind(
    {
        "refs": REF,
        "quantity": (
            r"q(?:uanti|n)?t?[yé]?|q ty|(?:q(?:uanti)?ty) ?\(?per.*|quantit[àé]|counts?|pcs|pieces|amount"
            r"|menge|anzahl|st[üu]ck(?:zahl)?|cantidad|nombre|no of"
        ),
        "value": _VALUE,
        "package": _BODY,
        "part_number": (
            rf"(?:part|stock|order(?:ing)?|article|item|artikel|bestell) ?(?:numbers?|no|num|nr|nummer|code)"
            rf"|mpn|m?p ?n|sku|article|artikel|{_MAKER} (?:{_NUMBER}|parts?)|r[ée]f(?:[ée]rence)? fabricant"
        ),
        "populate": r"fit|fitted|populated?|mounted|dn[pfi]|do not (?:fit|populate|place)|best[üu]ckt|option",
        "side": r"side|layer|seite|face",
        "description": (
            r"description|notes?|remarks?|beschreibung|bemerkung(?:en)?|d[ée]signation|descripci[óo]n|comments? .+"
        ),
    },
    {
        "refs": r"[A-Za-z_]{1,6}\d{1,5}[A-Za-z]?(?:\s*[-–…,;\s]\s*(?:[A-Za-z_]{0,6}\d{1,5}[A-Za-z]?))*[,;]?",
        "quantity": r"\d{1,4}(?:[.,]0+)?(?: ?pcs?)?",
        "value": r".*\S.*",
        "package": r".*\S.*",
    },
    ("refs",),
    {
        "refs": r"where used|used (?:at|in|on)|locations?|positions?|circuit ref(?:erence)?s?",
        "package": r"device",
        "value": r"parts?|components?|types?|part (?:names?|descriptions?)|names?|bezeichnung|benennung",
    },
)


BOTTOM_WORDS = (
    r"b|bl|bcu|bot.*|back.*|solder.*|soudures?|l[öo]tseite|soldadura.*|saldatur.*|lower.*|secondary.*|l2|s2"
    r"|unten.*|unterseite|r[üu]ckseite|hinten|dessous|arri[èe]re|inf[ée]rieure?|bas|inferior|abajo|trasera?"
    r"|sotto|inferiore|retro|onder.*|achter.*|spod|undersida|底层|底面|底|背面|反面|下面|焊接面"
)


TOP_WORDS = (
    r"t|tl|ts|f|fs|fcu|top.*|front.*|comp.*|best[üu]ckungsseite|upper.*|primary.*|l1|s1|oben.*|oberseite"
    r"|vorderseite|vorne?|dessus|avant|sup[ée]rieure?|haut|superior|arriba|delantera?|sopra|superiore|fronte"
    r"|boven.*|voor.*|wierzch|ovansida|顶层|顶面|顶|正面|上面|元件面"
)


NOT_POPULATED = re.compile(
    r"\b(dn[pfi]|do not (?:fit|populate|place|mount)|not (?:fitted|populated|placed|mounted)|no ?(?:fit|pop"
    r"|load)|unfitted|nicht best[üu]ck\w*|non mont[ée]e?s?|no montar|non montare)\b",
    re.I,
)
