"""What people write on labels and in notes, and what it must be taken for.

Common practice, no source: which names leave no doubt was decided here, on the safe side.
"""

import unittest
from dataclasses import replace

from olive_almanac.core.materials.catalogue import judge, may_burn
from olive_almanac.core.materials.names import NAME_RULES, family_named, opacity_named
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.catalogue import load_catalogue
from tests.samples import BIRCH, LEATHER, LONG, MARKER, NORTH

NAMES = {
    "plywood": """
        Birch ply | birch plywood | 3mm birch ply BB/BB | poplar ply | Basswood ply | laser
        ply | bamboo ply | Sperrholz | Birkensperrholz 4 mm
    """,
    "plywood_exterior": """
        exterior ply | marine ply | WBP plywood | film faced ply | plywood exterior glue |
        Sperrholz wasserfest verleimt | Siebdruckplatte |
        birch film faced | phenolic ply | Sperrholz Birke AW100
    """,
    "unknown": """
        FR ply | FR MDF | fr-mdf | fire rated plywood | fireproof mdf | euroclass b ply | FR felt |
        intumescent painted ply | flameproof cotton | foil wrapped mdf | mdf with foil | primed mdf
        | lacquered plywood | varnished oak | coated birch ply | antislip felt | anti slip ply |
        gasket paper | tempered glass | toughened glass | strengthened glass |
        treated ply | pressure treated pine | oak laminate | lime green | melamine faced MDF
        | chipboard | particle board | OSB | cork rubber | wood | scrap wood | mystery board
        | board | sandpaper | wallpaper | photo paper | plastic card | acrylic felt |
        acrylic yarn | acrylic paint | PET film | PC/ABS | PVC-free banner | resin | foam |
        craft foam | tool foam | PE foam | rubber | neoprene | nitrile rubber | steel wool |
        polyester resin | canvas | safety glass | laminated glass | mirror | quartz
        composite | tile | carpet tile | silver | gold | lead crystal | lead | magnesium |
        garden chair | mystery plastic | plastic | laser safe plastic | milk jug
        | alu-foam bond | alu sandwich panel |
        gift card | ID card | Bankkarte | phenolic sheet | phenolic paper | Hartpapier |
        coated cotton canvas | waxed cotton | cotton oilcloth | polyester tarpaulin | Wachstuch |
        thermal paper | stone paper | Wachspapier | stone wool | felt acrylic | carbon felt |
        pine railway sleeper | alu foil insulation | chlorinated rubber | free of PVC |
        faux teak decking | synthetic teak | artificial stone | fake slate | cultured marble |
        WPC oak | oak effect | oak decor panel | walnut look board | walnut PLA | wood-filled PLA |
        cherry red ASA | maple TPU | styrene acrylic | ABS PMMA blend | painted beech |
        lacquered walnut | varnished birch | stabilised maple burl | resin-stabilized oak |
        fire MDF | Pyroguard ply | multiplex film | black film ply | cork PU | coated cork |
        cork fabric | metal business card | steel cards | brass card | poker cards | tarot cards |
        receipt paper | NCR paper | carbonless paper | glitter card | glitter paper |
        hologram paper | foiled card | polyester label
    """,
    "softwood": """
        pine | Pine board | balsa | Spruce | cedar shingle | lime wood | basswood
    """,
    "hardwood": """
        oak | white oak | walnut | maple | cherry | beech | ash | olive wood | birch |
        oak end grain | oiled oak
    """,
    "veneer": """
        oak veneer
    """,
    "mdf": """
        walnut veneered MDF | MDF | black mdf | MDF wall decor | mdf labels
    """,
    "vinyl": """
        oak effect vinyl | vinyl wrapped MDF | vinyl | self adhesive vinyl | vinyl sticker |
        heat transfer vinyl | vinyl record | vinyl tile
    """,
    "acrylic": """
        cherry red acrylic | ash grey acrylic | acrylic | cast acrylic | extruded acrylic |
        Clear acrylic | PMMA | plexi | mirror acrylic | acrylic mirror | acrylic glass |
        silver acrylic
    """,
    "leather_unknown": """
        oak brown leather | leather | veg-tanned cowhide | chrome-free leather | suede |
        nubuck
    """,
    "leather": """
        oak bark tanned leather | veg tan leather | vegetable tanned leather | leather veg-
        tan 2mm
    """,
    "card": """
        lime green card | card | card stock | gold card |
        business cards | Karton
    """,
    "stone": """
        limestone | granite | marble | river stone
    """,
    "hdf": """
        HDF | hardboard
    """,
    "bamboo": """
        bamboo
    """,
    "cork": """
        cork
    """,
    "board": """
        grey board | greyboard 2mm | mat board | mount board | cardboard | corrugated
        cardboard
    """,
    "foam_ps": """
        foam board | foamcore | foam core | styrofoam | polystyrene | XPS | EPS foam | Styropor |
        Polystyrol | Hartschaumplatte
    """,
    "paper": """
        kraft paper | paper
    """,
    "pvc": """
        PVC card | PVC | uPVC | PVC foam board | polyvinyl chloride | PVC leather |
        P.V.C. sheet | 3mmPVC | Hartpvc 3mm | PVDC film
    """,
    "pp": """
        polypropylene | PP sheet
    """,
    "pe": """
        polyethylene | HDPE
    """,
    "petg": """
        PETG
    """,
    "abs": """
        ABS
    """,
    "pc": """
        polycarbonate | polycarb
    """,
    "nylon": """
        nylon | polyamide
    """,
    "pom": """
        acetal | POM
    """,
    "ptfe": """
        PTFE | PVDF | Teflon
    """,
    "epoxy_glass": """
        FR4 | FR-4 board | circuit board | PCB | copper clad board | fibreglass | fiberglass
        sheet | glass fibre | G10 | epoxy resin | glass wool |
        Leiterplatte | Epoxidharz
    """,
    "carbon_fibre": """
        carbon fibre | carbon fiber plate | CFRP | Kohlefaserplatte
    """,
    "nitrated": """
        flash paper | Flash-Paper white | gun cotton | nitrocellulose | celluloid sheet |
        Zelluloid | Pyropapier
    """,
    "foam_pu": """
        PU foam | polyurethane foam | memory foam | upholstery foam | PU-Schaum
    """,
    "foam_eva": """
        EVA foam | EVA
    """,
    "rubber": """
        laser rubber | stamp rubber | low odour rubber
    """,
    "silicone": """
        silicone
    """,
    "chrome_leather": """
        chrome leather | chrome tanned leather | chrome-tanned hide | chromium tanned |
        leather, chrome | wet blue | Chromleder | Leder, chromgegerbt |
        suede, chrome tanned | chrome suede
    """,
    "synthetic_leather": """
        Kunstleder | Lederimitat |
        pleather | PU leather | faux leather | vegan leather | leatherette |
        synthetic leather | imitation leather | bonded leather | microfibre leather | leather look
        fabric |
        fake suede | vegan suede | Kunst-Leder
    """,
    "felt": """
        felt | wool felt
    """,
    "cotton": """
        cotton | cotton canvas |
        uncoated cotton
    """,
    "denim": """
        denim
    """,
    "wool": """
        wool
    """,
    "polyester": """
        polyester
    """,
    "glass": """
        glass | drinking glass | window glass
    """,
    "mirror": """
        glass mirror | mirror glass | back-silvered mirror
    """,
    "slate": """
        slate | slate coaster
    """,
    "ceramic": """
        ceramic tile | porcelain
    """,
    "anodised": """
        anodised aluminium | anodized aluminum | black anodized
    """,
    "titanium": """
        anodized titanium | titanium
    """,
    "aluminium": """
        aluminium | aluminum
    """,
    "stainless": """
        stainless steel | stainless | stainless, nitrogen cut
    """,
    "steel": """
        mild steel | carbon steel
    """,
    "galvanised": """
        galvanised steel | galvanized sheet | zinc plated steel | hot dip steel |
        Stahlblech verzinkt |
        steel, galvannealed
    """,
    "coated_metal": """
        powder coated tumbler
    """,
    "unknown_coating": """
        painted steel | chrome plated brass | nickel plated | steel, painted |
        electroplated steel | chromed brass | chromed steel
    """,
    "brass": """
        brass
    """,
    "copper": """
        copper
    """,
    "beryllium_copper": """
        beryllium copper | BeCu
    """,
    "silver": """
        sterling silver
    """,
    "gold": """
        18k gold
    """,
}
GERMAN_NAMES = {
    "plywood": "Pappelsperrholz | Sperrholz Birke 4 mm",
    "plywood_exterior": "Sperrholz für außen | Außensperrholz wasserfestes Sperrholz",
    "unknown": """
        B1 Sperrholz | schwer entflammbares Sperrholz | flammgeschütztes MDF | MDF mit Folie |
        folierte Platte | Alu-Verbund | gehärtetes Glas | Dichtungspapier | Filz rutschfest |
        Spanplatte | Lärche behandelt | lackierte Eiche | beschichtetes Sperrholz | Acrylfilz |
        Moosgummi | Neopren | Schaumstoff | Kunststoff | Gummi | Schleifpapier | Fotopapier |
        Sicherheitsglas | Spiegel | Holz | Platte | Bernstein | Kunststein | Dachpappe |
        PVC-freie Plane | Steinwolle | Kunstharzplatte |
        Eiche Dekor | Buche-Dekor | Buchendekor | Eiche Nachbildung | PLA Nussbaum |
        stabilisiertes Ahorn
    """,
    "softwood": "Kiefer | Fichtenholz | Lindenholz | Balsaholz | Pappel | Tanne",
    "hardwood": "Eiche | Buche | Nussbaum | Ahorn | Kirschbaum | Birke | Olivenholz | Esche",
    "veneer": "Eichenfurnier | Furnier Nussbaum",
    "acrylic": "Acrylglas klar | Plexiglas | schwarzes Acryl",
    "synthetic_leather": "PU-Leder | veganes Leder | Leder-Optik",
    "chrome_leather": "Chromleder",
    "leather": "pflanzlich gegerbtes Leder | Leder, pflanzlich gegerbt",
    "leather_unknown": "Leder | Rindsleder | Wildleder",
    "pvc": "PVC-Plane",
    "board": "Graupappe | Finnpappe | Wellpappe",
    "card": "Karton | Fotokarton",
    "paper": "Papier | Kraftpapier | Tonpapier",
    "hdf": "Hartfaserplatte",
    "bamboo": "Bambus",
    "cork": "Kork",
    "felt": "Filz | Wollfilz",
    "cotton": "Baumwolle | Baumwollstoff",
    "wool": "Wolle | Schurwolle",
    "rubber": "Stempelgummi | Lasergummi",
    "silicone": "Silikon",
    "foam_pu": "PU-Schaum",
    "foam_eva": "EVA-Schaum",
    "epoxy_glass": "Leiterplatte kupferkaschiert | Glasfaserplatte",
    "glass": "Glas | Trinkglas",
    "mirror": "Spiegelglas",
    "slate": "Schiefer | Schieferplatte",
    "stone": "Naturstein | Marmor | Granit",
    "ceramic": "Keramik | Porzellan",
    "anodised": "eloxiertes Aluminium | Alu eloxiert",
    "stainless": "Edelstahl",
    "steel": "Stahl | Stahlblech",
    "brass": "Messing",
    "copper": "Kupfer",
    "titanium": "Titan",
    "galvanised": "verzinkter Stahl",
    "coated_metal": "pulverbeschichteter Becher",
    "unknown_coating": "lackierter Stahl | verchromtes Messing | Stahlblech lackiert",
}
CATALOGUE = load_catalogue()
STATES = {one.id: one.state for one in CATALOGUE.stocks}


def sheet(name, family, **facts):
    return Stock(name, family, 3.0, **facts)


def permitted(machine, stock, task, rules=None):
    return may_burn(CATALOGUE, machine, stock, task, rules or {})


class NamesTest(unittest.TestCase):
    def test_names_that_people_write(self):
        names = [
            (name.strip(), family)
            for table in (NAMES, GERMAN_NAMES)
            for family in table
            for name in table[family].split("|")
        ]
        self.assertGreater(len(names), 300)
        for name, family in names:
            for written in (name, name.upper(), f" {name.replace(' ', '-')} "):
                with self.subTest(written):
                    self.assertEqual(family_named(written), family)

    def test_rules_name_families_of_the_catalogue(self):
        for _, family in NAME_RULES:
            self.assertIn(family, STATES)

    def test_light_through_a_stock_as_its_name_says(self):
        self.assertEqual(opacity_named("Clear sheet"), "clear")
        self.assertEqual(opacity_named("frosted, blue"), "translucent")
        self.assertEqual(opacity_named("Mirror gold"), "mirror")
        self.assertIsNone(opacity_named("Clearance birch"))
        self.assertEqual(opacity_named("Acryl, klares, 3 mm"), "clear")
        self.assertEqual(opacity_named("satiniertes Acryl"), "translucent")
        self.assertIsNone(opacity_named("schwarzes Acryl"))


TANNINGS = {
    **dict.fromkeys(("vegetable", "veg", "oak bark", ""), "allowed"),
    **dict.fromkeys(("pflanzlich", "Pflanzlich gegerbt", "lohgegerbt"), "allowed"),
    **dict.fromkeys(("combination", "chrome-free", "not known"), "disputed"),
    **dict.fromkeys(("chromfrei", "ohne Chrom", "nicht bekannt"), "disputed"),
    **dict.fromkeys(("chromium", "chrome", "wet blue"), "barred"),
    **dict.fromkeys(("Chrom", "chromgegerbt", "Chromgerbung"), "barred"),
}


class JudgedTest(unittest.TestCase):
    def test_what_any_field_says_is_barred_is_barred_and_the_field_is_named(self):
        for stock, word in (
            (replace(LEATHER, tanning="chrome"), "tanning"),
            (replace(LEATHER, name="Chrome leather"), "name"),
            (sheet("Faux leather", "leather"), "name"),
            (sheet("Sign sheet, PVC", "acrylic"), "name"),
            (sheet("Slate", "slate", mask="vinyl"), "mask"),
            (sheet("Sheet steel", "steel", coating="zinc"), "coating"),
            (sheet("Hive plate", "coated_metal", coating="not known"), "coating"),
            (sheet("Cup steel", "stainless", coating="chrome"), "coating"),
            (sheet("Packing foam", "foam_eva", process="PU foam"), "process"),
        ):
            for machine in (NORTH, LONG, MARKER):
                with self.subTest(stock.name, machine=machine.name):
                    told = permitted(machine, stock, "engrave", {"leather_unknown": True})
                    self.assertTrue(told.barred)
                    self.assertFalse(told.allowed)
                    self.assertFalse(told.ask)
                    self.assertIn(f"since its {word}", told.reason)

    def test_a_name_counts_against_a_family_of_its_own_group_alone(self):
        for stock, family in (
            (sheet("ABS sheet", "acrylic"), "abs"),
            (sheet("ABS felt pads", "felt"), "felt"),
            (sheet("Pad", "felt", process="for ABS"), "felt"),
        ):
            self.assertEqual(judge(CATALOGUE, stock).entry.id, family, stock.name)

    def test_what_would_do_instead_names_another_task_of_this_machine(self):
        told = permitted(LONG, sheet("Cover glass", "glass"), "cut")
        self.assertFalse(told.allowed)
        self.assertFalse(told.ask)
        self.assertIn("On this one, engraving works.", told.instead)

    def test_dark_glue_makes_it_exterior_plywood_and_the_shop_decides(self):
        dark = replace(BIRCH, glue_line="dark")
        asked = permitted(LONG, dark, "cut")
        self.assertTrue(asked.ask)
        self.assertIn("its glue line is dark", asked.reason)
        self.assertTrue(permitted(LONG, dark, "cut", {"plywood_exterior": True}).allowed)
        refused = permitted(LONG, dark, "cut", {"plywood_exterior": False})
        self.assertEqual((refused.allowed, refused.ask), (False, False))
        self.assertIn("This shop has decided not to burn it.", refused.reason)
        light = permitted(LONG, replace(BIRCH, glue_line="light"), "cut")
        self.assertEqual((light.allowed, light.ask, light.barred), (True, False, False))

    def test_tanning_that_is_not_vegetable_is_asked(self):
        for tanning, state in TANNINGS.items():
            with self.subTest(tanning):
                judged = judge(CATALOGUE, replace(LEATHER, tanning=tanning))
                self.assertEqual(judged.entry.state, state)

    def test_a_denied_word_bars_nothing(self):
        self.assertTrue(permitted(LONG, sheet("Acrylic, PVC-free film", "acrylic"), "cut").allowed)

    def test_acrylic_on_a_diode_by_colour_mirror_and_name(self):
        for stock, level in (
            (sheet("Acrylic", "acrylic", colour="black"), ""),
            (sheet("Acrylic", "acrylic", colour="white"), "white pigment"),
            (sheet("White acrylic", "acrylic"), "white pigment"),
        ):
            told = permitted(NORTH, stock, "cut")
            self.assertTrue(told.allowed)
            self.assertIn(level, told.mind)
            self.assertEqual(bool(told.mind), bool(level))
        for stock in (
            sheet("Clear sheet", "acrylic"),
            sheet("Acrylic", "acrylic", opacity="mirror"),
            sheet("Gold mirror acrylic", "acrylic"),
        ):
            told = permitted(NORTH, stock, "cut")
            self.assertFalse(told.allowed or told.barred)
            self.assertIn("CO₂", told.instead)
            self.assertTrue(permitted(LONG, stock, "cut").allowed)

    def test_film_is_told_before_it_melts_into_an_engraving(self):
        filmed = sheet("Acrylic", "acrylic", mask="film")
        self.assertIn("film off", permitted(LONG, filmed, "engrave").mind)
        self.assertEqual(permitted(LONG, filmed, "cut").mind, "")
        self.assertEqual(permitted(LONG, replace(filmed, mask="paper"), "engrave").mind, "")

    def test_silvered_glass_may_be_engraved_and_polished_metal_not(self):
        glass = sheet("Glass mirror", "mirror", opacity="mirror")
        for machine in (NORTH, LONG, MARKER):
            self.assertTrue(permitted(machine, glass, "engrave").allowed)
        for stock in (
            sheet("Plate", "stainless", finish="polished"),
            sheet("Mirror-polished brass", "brass"),
            sheet("Plate", "aluminium", opacity="mirror"),
        ):
            for machine in (NORTH, LONG):
                self.assertFalse(permitted(machine, stock, "mark").allowed)
            told = permitted(MARKER, stock, "mark")
            self.assertTrue(told.allowed)
            self.assertIn("tilt", told.mind)
        self.assertTrue(permitted(LONG, sheet("Plate", "stainless"), "mark").allowed)

    def test_fibreboard_says_what_its_deposit_does(self):
        for family in ("mdf", "hdf"):
            self.assertIn("deposit", CATALOGUE.entry(family).advice)
            self.assertIn("sensitises", CATALOGUE.entry(family).advice)


if __name__ == "__main__":
    unittest.main()
