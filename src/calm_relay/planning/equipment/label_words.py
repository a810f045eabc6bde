"""Labels of datasheets and price lists in other languages, said as they are in English.

A label is taken apart into what it speaks of, word by word or within a compound, and put together in the order in which
English has it; so neither grammar nor compounds need a list of whole phrases. German, French, Spanish, Italian,
Portuguese, Dutch and Polish, as manufacturers and wholesalers write them: common practice, no source.
"""

import re
import unicodedata
from functools import lru_cache

# What is spoken of, in the order of an English label, and how the languages say it (without accents). A word may be
# part of a compound, in which case what has to follow it is said.
_SPOKEN_OF: tuple[tuple[str, str], ...] = (
    (
        "temperature coefficient",
        r"(?:temperatur|temp\.?-?\s?)(?:koeff\w*\.?|coefficient\w*)|"
        r"coeff?\w*\.?\s(?:de\s|di\s|da\s|termico\s)?(?:la\s|variac\w+\s(?:de\s)?)?temperatura?e?|"
        r"wspolczynnik\w*\stemperaturow\w*|temperatuurcoefficient\w*",
    ),
    (
        "number of",
        r"\banzahl\b(?:\sder)?|\bnombre\sd[e']|\bnumero\sd[ei]\b|\b(?:numero|nombre|nr\.?)(?=\smpp)|\baantal\b|\bliczba\b|\bn[o.º°]{0,2}\sd[ei]\b",
    ),
    (
        "max",
        r"\bmax(?:im\w*)?\.?(?=\W|$|spannung|strom|leistung|wert)|\bmaks\w*\.?|\bmassim\w*|"
        r"\bhochst\w*?(?=spannung|strom|\b)",
    ),
    (
        "min",
        r"\bmin(?:im\w*|\.)(?=\W|$)",
    ),
    (
        "usable",
        r"\bnutzbar\w*|\butile?s?\b|\butilisable\b|\butilizzabile\b|\butilizable\b|\bbruikba\w*|\buzyteczn\w*",
    ),
    (
        "full",
        r"\bvol(?:l|l-)?last\b|\bpleine?\s(?:charge|puissance)|\bplena\s(?:carga|potencia)|\bpieno\scarico|"
        r"\bvollast\b",
    ),
    (
        "european",
        r"\beurop(?!e\b)\w*|\beuro-?(?=wirk|eta)",
    ),
    (
        "rated",
        r"nenn(?=\w*spannung|\w*strom|\w*leistung|\w*energie|\w*kapazit|-)|bemessungs|\bnominal\w*|\bnominaux\b|"
        r"\basignad\w+|\bassigne\w*|\bnominaal\b|\bnominale\b|\bznamionow\w*",
    ),
    (
        "continuous",
        r"dauer(?=leistung|strom)",
    ),
    (
        "peak",
        r"spitzen(?=leistung)|\bcrete\b|\bpico\b|\bdi picco\b|\bpicco\b|piek(?=vermogen)|\bszczytow\w*|"
        r"\bde pointe\b",
    ),
    (
        "start",
        r"(?:start|anlauf|einschalt)(?=spannung)|\bdemarrage\b|\barranque\b|\bavviamento\b|\bavvio\b|"
        r"opstart(?=spanning)|start(?=spanning)|\brozruch\w*|\bde partida\b|\bde inicio\b",
    ),
    (
        "backup",
        r"notstrom|ersatzstrom|insel(?=betrieb|leistung)|\bsecours\b|\brespaldo\b|\bemergencia\b|\bemergenza\b|"
        r"noodstroom|\bisla\b|\bisola\b|\bilotage\b|\bawaryjn\w*",
    ),
    (
        "depth of discharge",
        r"entlade?(?:ungs)?tiefe|\bprofondeur\sde\sdecharge|\bprofundi\w+\sde\sdescarga|\bprofondita\sdi\sscarica|"
        r"ontladingsdiepte|\bglebokosc\srozladowania",
    ),
    (
        "float",
        r"\berhaltung\w*?(?=lade|spann|\b)|\bflotaci\w+|\bflottaison\b|\bfloating\b|\bmantenimento\b|\bflutuac\w+|"
        r"druppel(?=lading|spanning|\b)",
    ),
    (
        "absorption",
        r"\babsorptions?(?=\w*spann|lade)|\babsorci\w+|\babsorca\w+|\bassorbimento\b|\bladeschluss(?=spann)|"
        r"\bzyklisch\w*|\bcyclique\b|\bciclic[oa]\b",
    ),
    (
        "charge",
        r"(?<!ent)lade(?=strom|leist|temp|spann|-|/|\b)|(?<!ent)ladung\b|\b(?<!de)charge\b|\bcarga\b|"
        r"\b(?:ri)?carica\b|\blaad(?=stroom|vermogen|-|\b)|\bladowani\w*",
    ),
    (
        "discharge",
        r"entlade(?=strom|leist|temp|spann|-|/|\b)|entladung\b|\bdecharge\b|\bdescarga\b|\bscarica\b|"
        r"\bontlaad(?=stroom|vermogen|\b)|\brozladowani\w*",
    ),
    (
        "mpp",
        r"\bmpp-?t?\b-?|\bpms?\b(?=\s|$)",
    ),
    (
        "ac",
        r"\bac\b-?|\bca\b|wechsel(?=strom|spann)",
    ),
    (
        "dc",
        r"\bdc\b-?|\bcc\b|gleich(?=strom|spann)",
    ),
    (
        "pv",
        r"\bpv\b-?|\bphotovolta\w+|\bfotovolta\w+",
    ),
    (
        "grid",
        r"netz(?=\w*spannung|\w*strom|\w*leistung|-)|\breseau\b|\bred\b|\brete\b|\brede\b|net(?=spanning)|"
        r"\bsieci\w*",
    ),
    (
        "battery",
        r"batterie(?!n?speicher)n?-?|\bakku\w*?(?=spann|lade|\b)|\bbateri\w+|\bbatteria\b|\baccu(?=spanning|\b)|"
        r"\bakumulator\w*",
    ),
    (
        "system",
        r"system(?=spannung)-?|\bsysteme\b|\bsistema\b|systeem(?=spanning)|\bsystemu\b",
    ),
    (
        "input",
        r"eingangs-?|\bd'entree\b|\bentree\b|\bentrada\b|\bd'ingresso\b|\bingresso\b|ingangs|\bwejsci\w*",
    ),
    (
        "output",
        r"ausgangs-?|\bsortie\b|\bsalida\b|\bsaida\b|\buscita\b|uitgangs|\bwyjsci\w*",
    ),
    (
        "open circuit",
        r"leerlauf|\bcircuit\souvert|\ba vide\b|\bcircuito\sabierto|\ben vacio\b|\bcircuito\saperto|\ba vuoto\b|"
        r"\bcircuito\saberto|\bem vazio\b|open-?\s?klem|nullast|\bobwodu\sotwartego",
    ),
    (
        "short circuit",
        r"kurzschluss|\bcourt-?\s?circuit|\bcorto-?\s?circuito|\bcurto-?\s?circuito|kortsluit|\bzwarci\w*",
    ),
    (
        "reverse",
        r"ruck(?=strom)|\bcourant\sinverse\b|\bcorriente\sinversa\b|\bcorrente\sinversa\b|terug(?=stroom)",
    ),
    (
        "series fuse",
        r"(?:strang)?sicherung\w*|\bfusibles?\b|\bfusibile\b|\bfusivel\b|\bzekering\w*|\bbezpiecznik\w*",
    ),
    (
        "active",
        r"wirk(?=leistung)|\bactive\b|\bactiva\b|\battiva\b|\bativa\b",
    ),
    (
        "apparent",
        r"schein(?=leistung)|\bapparente\b|\baparente\b|\bschijnbaar\b|\bpozorn\w*",
    ),
    (
        "operating",
        r"betriebs|\bfonctionnement\b|\bfuncionamiento\b|\bfunzionamento\b|\bfuncionamento\b|bedrijfs|\bpracy\b|"
        r"\bd'esercizio\b|\boperativ\w+|umgebungs",
    ),
    (
        "night",
        r"nacht(?=verbrauch)|\bnocturne\b|\bnocturno\b|\bnotturno\b|\bnoturno\b",
    ),
    (
        "self",
        r"eigen(?=verbrauch)|\bautoconsum\w*|\bautoconsommation\b|eigen(?=verbruik)",
    ),
    (
        "transfer time",
        r"umschaltzeit|\btemps\sde\s(?:commutation|basculement|transfert)|"
        r"\btiempo\sde\s(?:conmutacion|transferencia)|\btempo\sdi\s(?:commutazione|trasferimento)|"
        r"\btempo\sde\s(?:comutacao|transferencia)|omschakeltijd|\bczas\sprzelaczania",
    ),
    (
        "power",
        r"leistung(?!sfaktor|sgarantie|stoleranz)s?|\bpuissance\b|\bpotencia\b|\bpotenza\b|vermogens?\b|\bmoc\b",
    ),
    (
        "voltage",
        r"spannungs?-?|\btension\b|\btensione\b|\btensao\b|spannings?|\bnapieci\w*|\bvoltaje\b",
    ),
    (
        "current",
        r"strom(?:belastbarkeit)?-?(?!\w)|\bcourant\b|\bcorriente\b|\bcorrente\b|stroom\b|\bprad\w?\b|"
        r"\bintensidad\b|\bintensite\b",
    ),
    (
        "energy",
        r"energie(?=\b|inhalt)(?:inhalt)?|\benergia\b",
    ),
    (
        "capacity",
        r"kapazitat|\bcapacite\b|\bcapacidade?\b|\bcapacita\b|capaciteit|\bpojemnosc\b",
    ),
    (
        "efficiency",
        r"wirkungsgrad|\brendement\b|\brendimiento\b|\brendimento\b|\befficacite\b|\beficiencia\b|\befficienza\b|"
        r"\bsprawnosc\b",
    ),
    (
        "consumption",
        r"verbrauch|\bconsommation\b|\bconsumo\b|verbruik|\bzuzycie\b|\bpobor\b",
    ),
    (
        "temperature",
        r"temperatur(?!koeff)\b|temperatur(?=bereich)|\btemperature\b|\btemperatura\b|temperatuur(?=\b|bereik)",
    ),
    (
        "altitude",
        r"(?:aufstell|betriebs|einsatz)hohe|\bhohe(?=\s(?:uber|u\.))|\baltitude\b|\baltitud\b|\baltitudine\b|"
        r"\bhoogte(?=\sboven)|\bwysokosc(?=\s(?:n\.?p\.?m|nad))",
    ),
    (
        "range",
        r"bereich\b|\bplage\b|\brango\b|\bintervall?o\b|\bgama\b|\bfaixa\b|\bcampo\b|bereik\b|\bzakres\w*",
    ),
    (
        "trackers",
        r"\btrackers?\b|\bregler\b|\bseguidores\b|\binseguitori\b|\brastreadores\b",
    ),
    (
        "per input",
        r"\b(?:pro|je|par|por|per|na)\s(?:mpp-?t?\b(?:[- ]?tracker)?|eingang|entree|entrada|ingresso|string\w*|"
        r"strang|cadena|stringa|tracker|wejscie)",
    ),
    (
        "dimensions",
        r"\babmessungen\b|\bdimensiones\b|\bdimensioni\b|\bdimensoes\b|\bafmetingen\b|\bwymiary\b",
    ),
    (
        "weight",
        r"\bgewicht\b|\bpoids\b|\bpeso\b|\bwaga\b|\bmasa\b",
    ),
    (
        "warranty",
        r"(?:produkt)?garantie\b|\bgewahrleistung\b|\bgarantia\b|\bgaranzia\b|\bgwarancja\b",
    ),
)
# Words of the languages that stand for a quantity: where none is, a label is left as it is.
_QUANTITIES = frozenset(
    {
        "power", "voltage", "current", "energy", "capacity", "efficiency", "consumption", "temperature",
        "temperature coefficient", "altitude", "depth of discharge", "transfer time", "dimensions", "weight",
        "warranty", "series fuse", "number of", "start", "backup", "range",
    }
)  # fmt: skip
# A longer text is no label.
LONGEST_LABEL = 300
# Between the words of a label.
_BETWEEN = re.compile(
    r"(?<!\S)(?:der|des|die|bei|im|von|de|du|la|le|les|des|en|a|au|del|los|las|con|di|della|dei|a|da|do|dos|em|van|het|bij|"
    r"przy|w|od)(?!\S)|(?<!\S)[-–/.,:]+(?!\S)"
)
# Said alike in English, so that they make no label foreign.
_ENGLISH = re.compile(
    r"max(?:imum)?\.?|min(?:imum)?\.?|nominal|mpp-?t?-?|ac-?|dc-?|pv-?|charge|temperature|altitude|trackers?|active|dimensions|"
    r"european|capacity|energy|start|system|battery"
)
_ANYWHERE = (
    (
        r"\b(?:jahre?|ann[ée]es|ans|a[nñ]os|anni|jaar|lat)\b",
        "years",
    ),
    (
        r"\b(?:zyklen|ladezyklen|ciclos|cicli|cycli|cykli)\b",
        "cycles",
    ),
    (
        r"\b(?:ein|1-?)phasig\w*|\bmonophas\w+|\bmonof[aá]s\w+|\beenfasig\w*|\bjednofazow\w*",
        "single-phase",
    ),
    (
        r"\b(?:drei|3-?)phasig\w*|\btriphas\w+|\btrif[aá]s\w+|\bdriefasig\w*|\btr[oó]jfazow\w*",
        "three-phase",
    ),
    (
        r"\blithium-?\s?eisen-?\s?phosphat\w*|\blithium[ -]fer[ -]phosphate\b|\blitio[ -]ferro[ -]fosfato\b|"
        r"\bfosfato de hierro\w*|\bfosfato de ferro\b|\bijzerfosfaat\b",
        "iron phosphate",
    ),
)
_PATTERNS = tuple((order, said, re.compile(pattern)) for order, (said, pattern) in enumerate(_SPOKEN_OF))
_WORDS = tuple((re.compile(pattern, re.I), said) for pattern, said in _ANYWHERE)
# What heads the columns of a wholesaler's table.
_HEADS = (
    (
        r"^art(?:ikel|\.)?-?\s?(?:nr|nummer)\.?$|"
        r"^(?:reference|referencia|codice(?: articolo)?|codigo|artikelnummer|indeks)$",
        "article number",
    ),
    (
        r"^(?:hersteller-?nr|bestellnummer|bestell-?nr)\.?$",
        "order code",
    ),
    (
        r"preis|\bprix\b|\bprecio\b|\bprezzo\b|\bpreco\b|\bprijs\b|\bcena\b",
        "price",
    ),
    (
        r"^(?:bezeichnung|produkt|modell|typ|designation|produit|modele|descripcion|producto|modelo|"
        r"descrizione|prodotto|modello|descricao|produto|omschrijving|nazwa|opis|beschreibung|artikel)$",
        "description",
    ),
    (
        r"^(?:lieferant|fournisseur|proveedor|fornitore|fornecedor|leverancier|dostawca)$",
        "supplier",
    ),
    (
        r"lagerbestand|\bbestand\b|verfugbar|disponib|giacenza|voorraad|\bstan magazyn|existencias",
        "stock",
    ),
    (
        r"^phasen(?:zahl)?$|^(?:phases|fases|fasi|fasen|fazy)$",
        "phases",
    ),
)
_NAMES = tuple((re.compile(pattern), said) for pattern, said in _HEADS)


@lru_cache(maxsize=4096)
def in_english(label: str) -> str:
    """A label as English has it; one that is English, or speaks of nothing a datasheet states, as it is.

    What stands in brackets, and words that say nothing of it, stay behind it.
    """
    if len(label) > LONGEST_LABEL:
        return label
    outside = re.sub(r"[(\[].*?[)\]]", lambda match: " " * len(match.group()), label)
    plain = _plain(outside)
    spans: list[tuple[int, int, int, str]] = []
    matches = [(match, order, said) for order, said, pattern in _PATTERNS for match in pattern.finditer(plain)]
    found = [(match.start(), match.end(), order, said) for match, order, said in matches]
    # The longest words first: a compound's whole before what it is made of.
    for span in sorted(found, key=lambda span: (span[0] - span[1], span[0])):
        if span[1] > span[0] and not any(span[0] < end and start < span[1] for start, end, *_ in spans):
            spans.append(span)
    foreign = any(
        said in _QUANTITIES and not _ENGLISH.fullmatch(plain[start:end].strip()) for start, end, _, said in spans
    )
    if not foreign:
        return words_in_english(label)
    said = [part for _, part in sorted({(order, part) for _, _, order, part in spans})]
    joined = " ".join(said).replace("charge discharge", "charge/discharge")
    if {"mpp", "voltage", "range"} <= {*said} and not {"full", "power"}.isdisjoint(said):
        joined = "full power mpp voltage range"
    rest = "".join(
        " " if any(start <= at < end for start, end, *_ in spans) else letter for at, letter in enumerate(label)
    )
    between = _BETWEEN.sub(lambda match: " " * len(match.group()), _plain(rest))
    rest = "".join(" " if kept == " " else letter for letter, kept in zip(rest, between, strict=True))
    return " ".join(f"{joined} {rest}".split())


def words_in_english(text: str) -> str:
    """A text with its units of life, its phases and its chemistry said in English wherever they stand."""
    for pattern, said in _WORDS:
        text = pattern.sub(said, text)
    return text


def head_in_english(head: str) -> str:
    """What heads a column, in English."""
    plain = _plain(head).strip()
    named = next((said for pattern, said in _NAMES if pattern.search(plain)), None)
    return named if named is not None else in_english(head)


def _plain(text: str) -> str:
    """Small letters without accents, as many as there were."""
    letters = []
    for letter in text:
        bare = unicodedata.normalize("NFD", letter)[0].lower() if letter != "ł" else "l"
        letters.append(bare if len(bare) == 1 else " ")
    return "".join(letters).replace("’", "'")
