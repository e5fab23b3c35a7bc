"""What a name says a stock is: the words people write on labels and in old notes, as families.

A family is named only where the words leave no doubt.  Everything else is "unknown" and is asked,
since a wrong family can put a stock that must not burn under the beam.
"""

from __future__ import annotations

import functools
import re
import unicodedata

from olive_almanac.core.records.stock import Opacity

__all__ = ["NAME_RULES", "UNKNOWN", "family_named", "opacity_named"]

UNKNOWN = "unknown"
_DENIED = r"\b(?:no|not|non|without|never) \w+|\b\w+ free\b"

# The first pattern found in the name decides.  Barred families come first, then words that say too
# little to be sure, then the others: what a thing is made of before the wood that it looks like.
NAME_RULES: tuple[tuple[str, str], ...] = (
    (r"pleather|leatherette|kunstleder|lederimitat|\bskai\b", "synthetic_leather"),
    (
        r"\b(faux|fake|synthetic|artificial|imitation|vegan|eco|pu|bonded|bycast|man ?made"
        r"|micro ?fib\w*|polyurethane|plastic)( \w+)? leather\b",
        "synthetic_leather",
    ),
    (r"\bleather[ -]?(look|like|effect|imitation)", "synthetic_leather"),
    (r"\bu?pvc\b|poly ?vinyl ?chlorid", "pvc"),
    (r"vinyl", "vinyl"),
    (r"\bchrom\w*[ -]?tan|\bchrom\w* .*leather|leather.*\bchrom|wet[ -]?blue", "chrome_leather"),
    (r"chrom(?!frei)\w* ?leder|chrom ?gegerbt", "chrome_leather"),
    (r"\bptfe\b|\bteflon\b|\bfep\b|\bpfa\b|\bpvdf\b|\betfe\b|fluoro", "ptfe"),
    (r"\bfr[ -]?4\b|\bg ?10\b|epoxy|fib(er|re) ?glass|glass ?(fib|cloth|wool)", "epoxy_glass"),
    (r"\b[gk]fk\b|\bgrp\b|circuit|\bpcbs?\b|copper[ -]?clad", "epoxy_glass"),
    (r"leiterplatte|epoxid|glasfaser", "epoxy_glass"),
    (r"(kohle|carbon) ?faser", "carbon_fibre"),
    (r"carbon[ -]?(fib|weave|laminate|kevlar)|\bcfrp\b|\bcfk\b", "carbon_fibre"),
    (r"\bfoam[ -]?(board|core)|\bstyro|poly ?styrene|\b[ex]ps\b|\bhips\b", "foam_ps"),
    (r"\b(pu|pur|pir|memory|upholstery|seat|mattress)\b.*\bfoam|polyurethan\w*", "foam_pu"),
    (r"poly ?styrol|hart ?schaum", "foam_ps"),
    (r"\bpur? ?schaum", "foam_pu"),
    (r"\bflash[ -]?(paper|cotton|string|cloth)|gun[ -]?cotton|pyropapier", "nitrated"),
    (r"nitro[ -]?[cz]ell|nitrated|[cz]ell?uloid|schie(ß|ss)baumwolle", "nitrated"),
    (r"verzinkt", "galvanised"),
    (r"galvani|\bzinc[ -]?(plat|coat|ed)|\bzincked|hot[ -]?dip", "galvanised"),
    (r"beryll|\bbe ?cu\b", "beryllium_copper"),
    # what says too little
    (r"treated|pressure|creosot|laminate|melamine|fire ?retard|flame ?retard", UNKNOWN),
    (r"neoprene|chloroprene|nitrile|\bnbr\b|\bepdm\b|viton", UNKNOWN),
    (
        r"\b(particle|chip|flake|strand|cement|gypsum|plaster|insulation|foam|hpl)[ -]?board",
        UNKNOWN,
    ),
    (r"\bosb\b|\bhpl\b|resin|composite|engineered|\bsand ?paper|\bwall ?paper|abrasive", UNKNOWN),
    (r"acrylic .*(felt|yarn|fabric|fibre|fiber|fur|wool|paint|cloth|rug)", UNKNOWN),
    (r"\blead\b|leaded|cadmium|magnesium|\b(steel|rock|mineral|glass) wool", UNKNOWN),
    (r"(carpet|ceiling|floor|roof\w*)\b", UNKNOWN),
    (
        r"\bply\b.*\b(tissue|napkin)|\bpc ?/ ?abs\b|\babs ?/ ?pc\b|photo ?paper|carbon paper",
        UNKNOWN,
    ),
    (r"\balu\w*[ -]\w*bond\b|sandwich", UNKNOWN),
    (r"(safety|laminated) glass|glass look|gem ?stone|mother of pearl|\bshell\b", UNKNOWN),
    (r"powder[ -]?coat", "coated_metal"),
    (
        r"\b(painted|plated|lacquered|coated)\b.*\b(steel|metal|brass|iron|alumin\w*)",
        "unknown_coating",
    ),
    (r"\b(steel|metal|brass|iron)\b.*\b(painted|plated|lacquered|coated)\b", "unknown_coating"),
    (r"\b(chrome|nickel|tin|gold|silver)[ -]?plated", "unknown_coating"),
    (r"mirror(ed)?[ -]?(acryl|pmma|plexi)|(acryl|pmma|plexi)\w* .*mirror", "acrylic"),
    # leather, plastics, foams
    (r"\b(veg\w*|bark|oak bark)\b.*\b(leather|hide)|leather.*\bveg", "leather"),
    (r"leather|\bsuede|nubuck|cow ?hide|\bhide\b", "leather_unknown"),
    (r"acryl|\bpmma\b|plexi", "acrylic"),
    (r"\bpet-?g\b", "petg"),
    (r"\beva\b.*|.*\beva foam", "foam_eva"),
    (r"\bfoam\b|\bsponge\b|plastic", UNKNOWN),
    (r"poly ?prop|\bpp\b", "pp"),
    (r"poly ?ethylene|\b(hd|ld)?pe\b", "pe"),
    (r"poly ?carb|\bpc\b", "pc"),
    (r"\babs\b", "abs"),
    (r"\bnylon\b|poly ?amide?\b|\bpa ?(6|66|11|12)\b", "nylon"),
    (r"\bpom\b|acetal", "pom"),
    (r"\b(laser|stamp|engraving|odou?rless|low odou?r)\b.*\brubber|rubber.*\bstamp", "rubber"),
    (r"rubber|latex", UNKNOWN),
    (r"\bsilicone\b", "silicone"),
    # boards and wood that is glued
    (r"\bmdf\b|medium density fib", "mdf"),
    (r"\bhdf\b|hardboard|high density fib", "hdf"),
    (
        r"(exterior|marine|wbp|phenolic|film[ -]?faced|weather|outdoor|water ?proof|shutter\w*)"
        r".*(\bply\b|plywood)|(\bply\b|plywood).*(exterior|marine|wbp|phenolic|outdoor)",
        "plywood_exterior",
    ),
    (r"wasserfest\w* .*sperrholz|sperrholz.*(wasserfest|außen)|siebdruck", "plywood_exterior"),
    (r"\bply\b|\w*plywood|\bmultiplex\b|sperrholz", "plywood"),
    (r"veneer", "veneer"),
    (r"bamboo", "bamboo"),
    (r"\bcork\b", "cork"),
    (
        r"\b(gr[ae]y|mat|matt|mount|book|mill|straw|layered|museum|bristol|corrugated|card)"
        r"[ -]?boards?\b|passe ?partout|\bcorrugated\b",
        "board",
    ),
    (r"\bcard( ?stock)?s?\b", "card"),
    (r"\bpaper\b|\bkraft\b", "paper"),
    # cloth
    (r"\bfelt\b", "felt"),
    (r"\bdenim\b|\bjeans?\b", "denim"),
    (r"\bcotton\b", "cotton"),
    (r"\bpolyester\b", "polyester"),
    (r"\bwool\b", "wool"),
    # metal, glass and stone
    (r"anodi[sz]ed? (titanium|niobium)|\btitanium\b", "titanium"),
    (r"anodi[sz]|\beloxal", "anodised"),
    (r"\balumini?um\b|\balu\b", "aluminium"),
    (r"stainless|\binox\b|\bv2a\b", "stainless"),
    (r"\bsteel\b", "steel"),
    (r"\bbrass\b", "brass"),
    (r"\bcopper\b", "copper"),
    (r"\b(sterling|fine|925|pure|solid) silver", "silver"),
    (r"\b(\d+ ?(k|ct|carat|karat)|pure|fine|solid) gold", "gold"),
    (r"(glass|silvered|back[ -]?silvered) mirror|mirror(ed)? glass|back[ -]?silvered", "mirror"),
    (r"\bglass\b|\bjar\b|\btumbler glass", "glass"),
    (r"\bslate\b", "slate"),
    (
        r"\b(lime|sand|river|soap|natural)? ?stones?\b|limestone|sandstone|granite|marble|basalt",
        "stone",
    ),
    (r"ceramic|porcelain|stoneware|earthenware", "ceramic"),
    # wood, last: much else is named after it
    (
        r"\b(pine|spruce|fir|cedar|larch|basswood|linden|lime ?wood|balsa|poplar|hemlock)\b",
        "softwood",
    ),
    (r"\b(redwood|cypress|paulownia|soft ?wood)\b", "softwood"),
    (
        r"\b(oak|walnut|maple|cherry|beech|ash|alder|birch|mahogany|sapele|teak|padauk)\b",
        "hardwood",
    ),
    (r"\b(olive ?wood|pear ?wood|apple ?wood|elm|chestnut|hickory|rosewood|ebony)\b", "hardwood"),
    (r"\b(sycamore|hornbeam|acacia|zebrano|wenge|iroko|hard ?wood)\b", "hardwood"),
)
OPACITY_WORDS: tuple[tuple[Opacity, frozenset[str]], ...] = (
    ("mirror", frozenset(("mirror", "mirrored"))),
    ("clear", frozenset(("clear", "transparent", "crystal", "colourless", "colorless"))),
    ("translucent", frozenset(("frosted", "translucent", "tinted", "smoked", "smoke", "opal"))),
)


@functools.cache
def _letters_of(pattern: str) -> tuple[str, ...]:
    """The runs of letters in a pattern: where none of them stands in a name, the pattern cannot
    match and need not be compiled.
    """
    return tuple(re.findall(r"[a-z0-9]+", re.sub(r"\\.|\w\?", " ", pattern)))


@functools.lru_cache(maxsize=4096)
def family_named(name: str) -> str:
    """Return the id of the family that a name surely says, or "unknown".

    Words that are denied do not count ("PVC-free", "not chrome").
    """
    plain = re.sub(r"[^\w/]+|_", " ", unicodedata.normalize("NFKC", name).casefold()).strip()
    words = re.sub(_DENIED, " ", plain)
    for pattern, family in NAME_RULES:
        if any(run in words for run in _letters_of(pattern)) and re.search(pattern, words):
            return family
    return UNKNOWN


def opacity_named(words: str) -> Opacity | None:
    """Return "clear", "translucent" or "mirror" where the words say so, or None."""
    told = set(words.casefold().replace("-", " ").replace(",", " ").split())
    return next((opacity for opacity, said in OPACITY_WORDS if told & said), None)
