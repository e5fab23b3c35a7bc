"""What a name says a stock is: the words people write on labels and in old notes, as families.

A family is named only where the words leave no doubt.  Everything else is "unknown" and is asked,
since a wrong family can put a stock that must not burn under the beam.
"""

from __future__ import annotations

import functools
import re
import unicodedata

from olive_almanac.core.records.stock import Opacity

__all__ = ["NAME_RULES", "SAID", "UNKNOWN", "family_named", "inflected", "opacity_named", "says"]

UNKNOWN = "unknown"
_COATED = "(painted|primed|lacquered|varnished|coated)"
_DENIED = (
    r"\b(?:no|not|non|without|never|ohne|nicht|keine?) \w+"
    r"|\b(?:free (?:of|from)|frei von) \w+"
    r"|\b\w+ (?:free|frei\w{0,2})\b|\b\w{3,}frei(?:e[nmrs]?)?\b"
)

# The first pattern found in the name decides.  Barred families come first, then words that say too
# little to be sure, then the others: what a thing is made of before the wood that it looks like.
NAME_RULES: tuple[tuple[str, str], ...] = (
    (r"pleather|leatherette|kunst ?leder|lederimitat|\bskai\b", "synthetic_leather"),
    (
        r"\b(faux|fake|synthetic|artificial|imitation|vegan|eco|pu|bonded|bycast|man ?made"
        r"|micro ?fib\w*|polyurethane|plastic)( \w+)? (leather|suede|hide|nubuck)\b",
        "synthetic_leather",
    ),
    (r"\bleather[ -]?(look|like|effect|imitation)", "synthetic_leather"),
    (r"\b(pu|öko|vegan\w*) ?leder|\bleder ?(optik|faser)", "synthetic_leather"),
    (r"pvc|\bp v c\b|poly ?vinyl ?(iden ?)?chlorid|\bpvdc\b", "pvc"),
    (r"vinyl", "vinyl"),
    (r"\bchrom\w*[ -]?tan|\bchrom\w* .*leather|leather.*\bchrom|wet[ -]?blue", "chrome_leather"),
    (r"chrom(?!frei)\w* ?leder|chrom ?gegerbt", "chrome_leather"),
    (r"\bchrome? .*(suede|hide|nubuck)|(suede|hide|nubuck|nubuk).*\bchrom", "chrome_leather"),
    (r"\bptfe\b|\bteflon\b|\bfep\b|\bpfa\b|\bpvdf\b|\betfe\b|fluoro", "ptfe"),
    (r"\bfr[ -]?4\b|\bg ?10\b|epoxy|fib(er|re) ?glass|glass ?(fib|cloth|wool)", "epoxy_glass"),
    (r"\b[gk]fk\b|\bgrp\b|circuit|\bpcbs?\b|copper[ -]?clad", "epoxy_glass"),
    (r"leiterplatte|epoxid|glasfaser|kupferkaschiert", "epoxy_glass"),
    (r"(kohle|carbon) ?faser", "carbon_fibre"),
    (r"carbon[ -]?(fib|weave|laminate|kevlar)|\bcfrp\b|\bcfk\b", "carbon_fibre"),
    (r"\bfoam[ -]?(board|core)|\bstyro|poly ?styrene|\b[ex]ps\b|\bhips\b", "foam_ps"),
    (r"\b(pu|pur|pir|memory|upholstery|seat|mattress)\b.*\bfoam|polyurethan\w*", "foam_pu"),
    (r"poly ?styrol|hart ?schaum", "foam_ps"),
    (r"\bpur? ?schaum", "foam_pu"),
    (r"\bflash[ -]?(paper|cotton|string|cloth)|gun[ -]?cotton|pyropapier", "nitrated"),
    (r"nitro[ -]?[cz]ell|nitrated|[cz]ell?uloid|schie(ß|ss)baumwolle", "nitrated"),
    (r"verzinkt", "galvanised"),
    (r"galvan|\bzinc[ -]?(plat|coat|ed)|\bzincked|hot[ -]?dip", "galvanised"),
    (r"beryll|\bbe ?cu\b", "beryllium_copper"),
    # what only looks like it, and what it is one part of: both say too little
    (r"\b(faux|fake|synthetic|artificial|imitation|cultured|reconstituted)\b", UNKNOWN),
    (r"\b(effect|look|filled)\b|imitat\b", UNKNOWN),
    (
        r"\b(oak|walnut|beech|ash|maple|cherry|pine|wood|stone|slate|marble) (decor|style)\b",
        UNKNOWN,
    ),
    (
        r"(eichen?|buchen?|nussbaum|ahorn|birken?|kiefern?|eschen?|holz|stein|marmor) ?"
        r"(dekor|nachbildung|optik)\b",
        UNKNOWN,
    ),
    (r"\b(wpc|pla|asa|tpu|san)\b|styrene|\babs\b.*\bpmma\b|\bpmma\b.*\babs\b", UNKNOWN),
    (r"stabili[sz](ed|iert)", UNKNOWN),
    (r"\b(fire|pyro\w*) (ply|plywood|mdf|board)\b|\bpyro ?guard", UNKNOWN),
    (r"\bfilm (ply|plywood|multiplex)|(\bply|plywood|\bmultiplex) film\b", UNKNOWN),
    (r"\bcork (pu|fabric|leather|skin)\b|\bcorkleather\b|\bkork(stoff|leder)\b", UNKNOWN),
    (
        r"\b(metal|steel|stainless|brass|copper|alumin\w*|titanium|poker|tarot|glitter|hologra\w*"
        r"|foiled|mirror)\b.*\bcards?\b|\b(receipt|ncr|carbonless|glitter|hologra\w*) paper\b",
        UNKNOWN,
    ),
    (r"\b(polyester|thermal|adhesive|sticky) labels?\b|\blabel (stock|paper|roll)", UNKNOWN),
    # what else says too little
    (r"treated|pressure|creosot|laminate|melamine|fire ?retard|flame ?retard", UNKNOWN),
    (r"railway|sleepers?\b|bahnschwelle|chlorinated|chlorosul|chlor ?kautschuk", UNKNOWN),
    (
        r"\b(credit|debit|bank|gift|loyalty|member\w*|key|id|sim|sd|chip|playing|foil|metallic"
        r"|plastic) ?cards?\b|\b(kredit|bank|kunden|mitglieds|chip|spiel|schlüssel) ?karten?\b",
        UNKNOWN,
    ),
    (
        r"\b(stone|synthetic|magnet\w*|thermal|baking|greaseproof|wax\w*|washable|coated|release)"
        r" ?paper\b|(stein|synthetik|magnet|thermo|wachs|beschichtetes )papier",
        UNKNOWN,
    ),
    (
        r"tarp|oil ?cloth|wachstuch|\b(coated|waxed|oiled|beschichtet\w*|gewachst\w*)\b.*"
        r"(cotton|canvas|polyester|nylon|baumwoll)|(cotton|canvas|polyester|nylon|baumwoll\w*)\b.*"
        r"\b(coated|waxed|oiled|oil|beschichtet|gewachst)",
        UNKNOWN,
    ),
    (r"carbon felt|insulation|dämm(stoff|platte|ung)|bakelit|hart ?papier", UNKNOWN),
    (r"^(?!.*\b(ply|sperrholz)).*phenol", UNKNOWN),
    (r"\bfr\b|fire ?(proof|rated)|flame ?proof|intumescent|euroclass", UNKNOWN),
    (r"(schwer|nicht) ?(entflammbar|brennbar)|flammgesch|flammhemm|feuerhemm|brandschutz", UNKNOWN),
    (r"\bb1\b.*(holz|mdf|platte|filz|stoff)|(holz|mdf|platte|filz|stoff)\w* .*\bb1\b", UNKNOWN),
    (r"(mdf|board|ply|plywood|wood|holz|platte)\b.*\b(foil|folie)|\bfoil(ed)?\b.*\bmdf", UNKNOWN),
    (rf"foliert|\b{_COATED}\b.*\b(wood|ply|plywood|\w*board|mdf|hdf|oak|pine)", UNKNOWN),
    (rf"\b(mdf|hdf|ply|plywood|\w*board)\b.*\b{_COATED}", UNKNOWN),
    (r"(anti|non)[ -]?slip|rutsch(fest|hemm)|\bgasket|dichtung", UNKNOWN),
    (r"neoprene|chloroprene|nitrile|\bnbr\b|\bepdm\b|viton", UNKNOWN),
    (
        r"\b(particle|chip|flake|strand|cement|gypsum|plaster|insulation|foam|hpl)[ -]?board",
        UNKNOWN,
    ),
    (r"\bosb\b|\bhpl\b|resin|composite|engineered|\bsand ?paper|\bwall ?paper|abrasive", UNKNOWN),
    (r"acrylic .*(felt|yarn|fabric|fibre|fiber|fur|wool|paint|cloth|rug)", UNKNOWN),
    (r"\b(felt|yarn|fabric|fibre|fiber|fur|wool|cloth|filz|garn|stoff)\b.*acryl", UNKNOWN),
    (r"\blead\b|leaded|cadmium|magnesium|\b(steel|rock|stone|mineral|glass) wool", UNKNOWN),
    (r"(carpet|ceiling|floor|roof\w*)\b", UNKNOWN),
    (
        r"\bply\b.*\b(tissue|napkin)|\bpc ?/ ?abs\b|\babs ?/ ?pc\b|photo ?paper|carbon paper",
        UNKNOWN,
    ),
    (r"\balu\w*[ -]\w*bond\b|\balu\w*[ -]?verbund|sandwich", UNKNOWN),
    (r"(gehärtet|vorgespannt)\w* glas|(tempered|toughened|hardened|strengthened) glass", UNKNOWN),
    (r"(safety|laminated) glass|glass look|gem ?stone|mother of pearl|\bshell\b", UNKNOWN),
    (r"behandelt|imprägniert|laminat|melamin|kunstharz", UNKNOWN),
    (r"verbundplatte|\bspan(platte|holz)", UNKNOWN),
    (r"acryl\w* ?(filz|garn|stoff|faser|fell|farbe|lack|wolle)|\bneopren|moosgummi", UNKNOWN),
    (r"(schleif|foto|back)papier|(sicherheits|verbund)glas|\bblei\b|(stein|glas)wolle", UNKNOWN),
    (r"powder[ -]?coat|pulverbeschicht", "coated_metal"),
    (
        r"(lackiert|beschichtet|verchromt|vernickelt|vergoldet|versilbert)\w*\b.*"
        r"\b(stahl|blech|metall|messing|eisen|alu\w*)",
        "unknown_coating",
    ),
    (
        r"\b(stahl|blech|metall|messing|eisen|alu)\w*\b.*"
        r"(lackiert|beschichtet|verchromt|vernickelt|vergoldet|versilbert)",
        "unknown_coating",
    ),
    (r"lackiert|beschichtet|verchromt|vernickelt|vergoldet|versilbert", UNKNOWN),
    (
        r"\b(painted|(electro ?)?plated|lacquered|coated|chromed)\b.*"
        r"\b(steel|metal|brass|iron|alumin\w*)",
        "unknown_coating",
    ),
    (r"\b(steel|metal|brass|iron)\b.*\b(painted|plated|lacquered|coated)\b", "unknown_coating"),
    (r"\b(chrome|nickel|tin|gold|silver)[ -]?plated", "unknown_coating"),
    (r"mirror(ed)?[ -]?(acryl|pmma|plexi)|(acryl|pmma|plexi)\w* .*mirror", "acrylic"),
    # leather, plastics, foams
    (r"\b(veg\w*|bark|oak bark)\b.*\b(leather|hide)|leather.*\bveg", "leather"),
    (
        r"\b(pflanzlich|lohgerb|lohgegerb|rindengegerb)\w*\b.*leder\b|leder\b.*\bpflanzlich",
        "leather",
    ),
    (r"leather|\bsuede|nubuck|cow ?hide|\bhide\b|leder\b|\bnubuk", "leather_unknown"),
    (r"acryl|\bpmma\b|plexi", "acrylic"),
    (r"\bpet-?g\b", "petg"),
    (r"\beva\b.*|.*\beva foam", "foam_eva"),
    (r"\bfoam\b|\bsponge\b|plastic|schaum|kunststoff|\bplastik", UNKNOWN),
    (r"poly ?prop|\bpp\b", "pp"),
    (r"poly ?ethylene?\b|\b(hd|ld)?pe\b", "pe"),
    (r"poly ?carb|\bpc\b", "pc"),
    (r"\babs\b", "abs"),
    (r"\bnylon\b|poly ?amide?\b|\bpa ?(6|66|11|12)\b", "nylon"),
    (r"\bpom\b|acetal", "pom"),
    (r"\b(laser|stamp|engraving|odou?rless|low odou?r)\b.*\brubber|rubber.*\bstamp", "rubber"),
    (r"\b(stempel|laser)gummi", "rubber"),
    (r"rubber|latex|gummi|kautschuk", UNKNOWN),
    (r"\bsilicone\b|\bsilikon", "silicone"),
    (rf"\b{_COATED}\b", UNKNOWN),
    # boards and wood that is glued
    (r"\bmdf\b|medium density fib", "mdf"),
    (r"\bhdf\b|hardboard|high density fib|\bhartfaser", "hdf"),
    (
        r"(exterior|marine|wbp|phenolic|film[ -]?faced|weather|outdoor|water ?proof|shutter\w*)"
        r".*(\bply\b|plywood)|(\bply\b|plywood).*(exterior|marine|wbp|phenolic|outdoor)",
        "plywood_exterior",
    ),
    (
        r"(wasserfest|aussen)\w* .*sperrholz|sperrholz.*(wasserfest|aussen)|siebdruck"
        r"|film ?(faced|beschichtet)|\b(aw|bfu) ?100\b",
        "plywood_exterior",
    ),
    (r"\bply\b|\w*plywood|\bmultiplex\b|sperrholz", "plywood"),
    (r"veneer|furnier", "veneer"),
    (r"bamboo|\bbambus", "bamboo"),
    (r"\bcork\b|\bkork(platte)?\b", "cork"),
    (
        r"\b(gr[ae]y|mat|matt|mount|book|mill|straw|layered|museum|bristol|corrugated|card)"
        r"[ -]?boards?\b|passe ?partout|\bcorrugated\b",
        "board",
    ),
    (r"\b(grau|finn|well|buchbinder)?pappe\b", "board"),
    (r"\bcard( ?stock)?s?\b|\b(foto|ton)?karton\b", "card"),
    (r"\bpaper\b|\bkraft\b|\b(kraft|ton|zeichen|kopier|pack)?papier\b", "paper"),
    # cloth
    (r"\bfelt\b|filz\b", "felt"),
    (r"\bdenim\b|\bjeans?\b", "denim"),
    (r"\bcotton\b|\bbaumwoll", "cotton"),
    (r"\bpolyester\b", "polyester"),
    (r"\bwool\b|\b(schur)?wolle\b", "wool"),
    # metal, glass and stone
    (r"anodi[sz]ed? (titanium|niobium)|\btitanium\b|\btitan(blech)?\b", "titanium"),
    (r"anodi[sz]|\beloxal|\beloxiert", "anodised"),
    (r"\balumini?um\b|\balu\b", "aluminium"),
    (r"stainless|\binox\b|\bv2a\b|\bedelstahl", "stainless"),
    (r"\bsteel\b|\b(bau)?stahl(blech)?\b", "steel"),
    (r"\bbrass\b|\bmessing(blech)?\b", "brass"),
    (r"\bcopper\b|\bkupfer(blech)?\b", "copper"),
    (r"\b(sterling|fine|925|pure|solid) silver", "silver"),
    (r"\b(\d+ ?(k|ct|carat|karat)|pure|fine|solid) gold", "gold"),
    (r"(glass|silvered|back[ -]?silvered) mirror|mirror(ed)? glass|back[ -]?silvered", "mirror"),
    (r"\bspiegelglas\b|\bglasspiegel\b", "mirror"),
    (r"\bglass\b|\bjar\b|\btumbler glass|\b(trink)?glas\b", "glass"),
    (r"\bslate\b|\bschiefer", "slate"),
    (
        r"\b(lime|sand|river|soap|natural)? ?stones?\b|limestone|sandstone|granite|marble|basalt",
        "stone",
    ),
    (r"\b(kalk|sand|speck|natur)?stein\b|\bmarmor|\bgranit|\bbasalt|\btravertin", "stone"),
    (r"ceramic|porcelain|stoneware|earthenware|keramik|porzellan|steingut|steinzeug", "ceramic"),
    # wood, last: much else is named after it
    (
        r"\b(pine|spruce|fir|cedar|larch|basswood|linden|lime ?wood|balsa|poplar|hemlock)\b",
        "softwood",
    ),
    (r"\b(redwood|cypress|paulownia|soft ?wood|balsaholz|nadelholz)\b", "softwood"),
    (r"\b(kiefer|fichte|tanne|zeder|lärche|linde|pappel)n?(holz)?\b", "softwood"),
    (
        r"\b(oak|walnut|maple|cherry|beech|ash|alder|birch|mahogany|sapele|teak|padauk)\b",
        "hardwood",
    ),
    (r"\b(olive ?wood|pear ?wood|apple ?wood|elm|chestnut|hickory|rosewood|ebony)\b", "hardwood"),
    (r"\b(sycamore|hornbeam|acacia|zebrano|wenge|iroko|hard ?wood|laubholz)\b", "hardwood"),
    (r"\b(eiche|buche|esche|erle|birke|ulme|kastanie|akazie)n?(holz)?\b", "hardwood"),
    (r"\b(nussbaum|walnuss|ahorn|kirsche?|kirschbaum|mahagoni)(holz)?\b", "hardwood"),
    (r"\b(apfel|birn|oliven)(baum)?holz\b|\bebenholz\b", "hardwood"),
)
ENDINGS = ("", "e", "er", "es", "en", "em")  # of German words


def inflected(*words: str) -> frozenset[str]:
    """Return German words with each of their endings."""
    return frozenset(word + ending for word in words for ending in ENDINGS)


OPACITY_WORDS: tuple[tuple[Opacity, frozenset[str]], ...] = (
    ("mirror", frozenset(("mirror", "mirrored", "spiegel")) | inflected("verspiegelt")),
    (
        "clear",
        frozenset(("clear", "transparent", "crystal", "colourless", "colorless"))
        | inflected("klar", "glasklar", "transparent", "durchsichtig", "farblos"),
    ),
    (
        "translucent",
        frozenset(("frosted", "translucent", "tinted", "smoked", "smoke", "opal"))
        | inflected("satiniert", "getönt", "milchig"),
    ),
)


# what fields that people fill in may say, whichever language the program speaks
SAID = {
    "film": ("film", "folie"),
    "paper": ("paper", "papier"),
    "black": ("black", "schwarz"),
    "dark": ("dark", "black", "dunkel", "schwarz"),
    "white": ("white", "weiß", "weiss"),
    "grey": ("grey", "gray", "grau"),
}


def says(text: str, what: str) -> bool:
    """Return whether a field says what a key of SAID stands for, in either language."""
    return any(word in text.casefold() for word in SAID[what])


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
