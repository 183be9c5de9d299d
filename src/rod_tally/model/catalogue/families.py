"""Family of materials that a name speaks of: steel, concrete, timber, aluminium, masonry, in the languages
that exports come in. Names are split into words; a compound is read by its last part (Stahlbeton is concrete,
Betonstahl steel)."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import cache

# by their ends, without accents; the longest that fits counts. Common practice, no source.
ENDS: dict[str, tuple[str, ...]] = {
    "concrete": (
        "concrete", "beton", "betong", "betoni", "betonu", "hormigon", "concreto", "betao", "calcestruzzo", "zelbet",
        "ortbeton", "stb", "armebeton", "betoncelik", "cls", "screed", "estrich", "grout", "mortar", "mortel",
    ),
    "steel": (
        "steel", "steels", "stahl", "acier", "acero", "acciaio", "aco", "staal", "stal", "stali", "ocel", "oceli", "teras",
        "rebar", "iron", "metal", "metall", "metallo", "metaal", "staalplaat", "spundwand",
    ),
    "timber": (
        "timber", "wood", "hardwood", "softwood", "holz", "bois", "madera", "madeira", "legno", "hout", "trae", "tre",
        "drewno", "drewna", "drevo", "dreva", "puu", "glulam", "bsh", "kvh", "clt", "lvl", "blh", "limtre", "limtra",
        "fichte", "larche", "eiche", "spruce", "pine", "oak", "larch", "lamellare", "lamelle", "osb", "plywood", "xlam",
        "bresta",
    ),
    "aluminium": ("aluminium", "aluminum", "alu", "alluminio", "aluminio", "hlinik"),
    "masonry": (
        "masonry", "brick", "bricks", "brickwork", "blockwork", "mauerwerk", "ziegel", "kalksandstein", "limestone",
        "sandlime", "muratura", "laterizio", "mattone", "mattoni", "maconnerie", "brique", "briques", "parpaing", "ladrillo",
        "ladrillos", "mamposteria", "fabrica", "metselwerk", "baksteen", "kalkzandsteen", "tegel", "tegl", "murverk",
        "murvaerk", "cegla", "mur", "zdivo", "cihla", "tijolo", "alvenaria", "tiili", "muuraus", "stone", "naturstein",
    ),
}  # fmt: skip
# behind one of these stands what is added to the material, not the material
WITH = {"with", "mit", "avec", "con", "met", "med", "z", "com", "s", "ja", "w"}
# of these what is said before them is no family: a fibre of steel, a deck for concrete
PARTS = (
    "fibre",
    "fibres",
    "fiber",
    "fibers",
    "faser",
    "fasern",
    "fibra",
    "fibre",
    "reinforced",
    "bewehrt",
    "arme",
    "armado",
)
LIGHT = ("lightweight", "light", "leicht", "leichtbeton", "leger", "ligero", "leggero", "licht", "lekki", "lehky", "leve", "leca",
         "blahton", "bims", "pumice", "lc")  # fmt: skip
AERATED = ("aerated", "autoclaved", "aac", "cellular", "porenbeton", "gasbeton", "gasbeton", "cellenbeton", "cellulaire",
           "foam", "schaumbeton")  # fmt: skip
# families that elements of a class are not made of; common practice, no source
UNLIKELY = {
    "slab": ("steel", "masonry", "aluminium"), "wall": ("steel", "aluminium"), "beam": ("masonry",), "brace": ("masonry", "concrete"),
    "footing": ("timber", "steel", "aluminium"), "roof": ("masonry",), "ramp": ("masonry",),
}  # fmt: skip


COMPOUND = ("holz", "hout", "wood")  # short ends that compounds have


@dataclass(slots=True, frozen=True)
class Reading:
    """The meaning of a name: its family ("" for none), all families in it in their order, and whether it is
    of a light or aerated kind ("" for neither)."""

    family: str = ""
    families: tuple[str, ...] = ()
    weight: str = ""


@cache
def read_name(name: str) -> Reading:
    """The family that a name speaks of. Of several in one name the last counts, but for what stands behind
    "with".

    >>> [read_name(n).family for n in ("Stahlbeton", "Betonstahl", "Steel fibre concrete")]
    ['concrete', 'steel', 'concrete']
    >>> read_name("Concrete filled steel tube").families
    ('concrete', 'steel')
    """
    words = words_of(name)
    found: list[str] = []
    own: list[str] = []
    added = False
    for k, word in enumerate(words):
        if word in WITH and own:
            added = True
            continue
        family = family_of(word)
        if not family or (k + 1 < len(words) and words[k + 1].startswith(PARTS[:7]) and family == "steel"):
            continue
        found.append(family)
        if not added:
            own.append(family)
    weight = "aerated" if _has(words, AERATED) else "light" if _has(words, LIGHT) else ""
    kept = own or found
    return Reading(kept[-1] if kept else "", tuple(dict.fromkeys(kept)), weight if kept else "")


def _has(words: list[str], marks: tuple[str, ...]) -> bool:
    return any(w == m or (len(m) > 4 and w.startswith(m)) for w in words for m in marks)


def words_of(name: str) -> list[str]:
    """Words of a name in small letters without accents: parted at what is no letter, and where small letters
    turn to large.

    >>> words_of("BetonC30 Béton-armé")
    ['beton', 'c', 'beton', 'arme']
    """
    parted = re.sub(r"([a-zäöüß])([A-ZÄÖÜ])", r"\1 \2", name)
    for a, b in (
        ("ß", "ss"),
        ("æ", "ae"),
        ("ø", "o"),
        ("å", "a"),
        ("ł", "l"),
        ("Ł", "L"),
        ("Ø", "O"),
        ("Å", "A"),
    ):
        parted = parted.replace(a, b)
    plain = unicodedata.normalize("NFKD", parted).encode("ascii", "ignore").decode().lower()
    return re.findall(r"[a-z]+", plain)


@cache
def family_of(word: str) -> str:
    """The family of one word, by the longest known end; "" for none. Short ends must be the whole word."""
    best, family = 0, ""
    for own, ends in ENDS.items():
        for end in ends:
            fits = word == end or ((len(end) > 4 or end in COMPOUND) and word.endswith(end))
            if fits and len(end) > best:
                best, family = len(end), own
    return family
