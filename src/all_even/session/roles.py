"""What a track is: roles of the trade, their families, and the guess from a file name.

The guess reads words and common abbreviations of recording sheets. It is only a start: the user
can name another role for any lane, and nothing is decided from a role without saying so.
"""

import re
from dataclasses import dataclass

FAMILIES = (
    "drums",
    "percussion",
    "bass",
    "guitars",
    "keys",
    "winds & brass",
    "strings",
    "voices",
    "buses",
    "other",
)


@dataclass(frozen=True, slots=True)
class Role:
    """name: as shown. words: regular expressions over a cleaned file name, most telling first."""

    name: str
    family: str
    words: tuple[str, ...]


TRIGGER = "click or trigger"
"""Steers something and is not for hearing: never a kick, whatever else its name says."""

ROLES: tuple[Role, ...] = (
    Role(TRIGGER, "other", (r"\b(click|clk|trig\w*|metronome)\b",)),
    Role("kick out", "drums", (r"(kick|kik|kck|bd|bass ?drum)s? ?(out|front|far|o)\b",)),
    Role("kick", "drums", (r"\b(kick|kik|kck|bd|bass ?drum|grosse caisse|bombo|cassa)s?\b", r"\b(kick|kik|kck|bd)")),
    Role("snare bottom", "drums", (r"\b(snare|snr|sn|sd)s? ?(bottom|bot|btm|under|dn|down|b)\b",)),
    Role("snare top", "drums", (r"\b(snare|snr|sn|sd|caisse claire|caja|rullante)s? ?(top|up|over|t)?\b",)),
    Role("hi-hat", "drums", (r"\b(hi ?-?hats?|hats?|hh|hhat|charley|charleston)\b",)),
    Role("tom", "drums", (r"\b((floor|rack|low|high|hi|lo) ?)?toms?\b", r"\b(ft|rt)\b")),
    Role("overhead", "drums", (r"\b(overheads?|ovhds?|ovh|oh ?[lr]?|ohs)\b",)),
    Role("ride", "drums", (r"\bride\b",)),
    Role("cymbal", "drums", (r"\b(cymbals?|cym|crash|china|splash)\b",)),
    Role("room", "drums", (r"\b(rooms?|ambi\w*)\b",)),
    Role("drums", "drums", (r"\b(drums?|kit|loop|beat|schlagzeug|batterie|bater[ií]a)\b",)),
    Role("tambourine", "percussion", (r"\btamb\w*\b",)),
    Role("shaker", "percussion", (r"\b(shaker|shkr|maracas?|cabasa)\b",)),
    Role("clap", "percussion", (r"\bclaps?\b",)),
    Role("hand drum", "percussion", (r"\b(congas?|bongos?|cajon|djembe|darbuka|tabla)\b",)),
    Role("percussion", "percussion", (r"\b(perc\w*|cowbell|triangle|woodblock|guiro)\b",)),
    Role("sub bass", "bass", (r"\b(sub ?bass|sub ?syn\w*|sub|808)\b",)),
    Role("bass amplifier", "bass", (r"\b(bass|bs|bss|bgtr)\b.*\b(amp\w*|cab|mic|miked)\b", r"\bbamp\b")),
    Role("bass DI", "bass", (r"\b(bass|bs|bss|bgtr|basse|basso|bajo)\b.*\bdi\b",
        r"\bdi\b.*\b(bass|basse|basso|bajo)\b")),
    Role("bass clarinet", "winds & brass", (r"\bbass ?clar\w*\b",)),
    Role("double bass", "bass", (r"\b(double ?bass|upright|contrabass)\b",)),
    Role("synth bass", "bass", (r"\b(syn\w* ?bass|bass ?syn\w*)\b",)),
    Role("bass trombone", "winds & brass", (r"\bbass ?trom?b\w*\b",)),
    Role("bass", "bass", (r"\b(bass|bs|bss|basse|basso|bajo)\b",)),
    Role("acoustic guitar", "guitars", (r"\b(ac\w*|aco?u?s\w*|steel|nylon) ?(guit\w*|gtrs?|git)\b", r"\bagtr\b")),
    Role("mandolin", "guitars", (r"\bmand\w*\b",)),
    Role("banjo", "guitars", (r"\b(banjo|bjo)\b",)),
    Role("ukulele", "guitars", (r"\buku?l?e?l?e?\b",)),
    Role("electric guitar", "guitars", (r"\b(e|el|elec\w*)? ?-?(guit\w*|gtrs?|git|gt)\b", r"\begtr\b", r"\bgtr",
        r"\b(e ?-?)?(gitarre|guitare|chitarra)n?\b")),
    Role("accordion", "keys", (r"\b(acc?ord\w*|accd?n|squeeze\w*|akk?ordeon)\b",)),
    Role("harmonium", "keys", (r"\b(harmonium|harmon|hmnm|pump ?organ)\b",)),
    Role("organ", "keys", (r"\b(organ|org)\b",)),
    Role("electric piano", "keys", (r"\b(e ?-?piano|epno|ep|elec\w* piano)\b",)),
    Role("piano", "keys", (r"\b(piano|pno|pf|klavier)\b",)),
    Role("pad", "keys", (r"\bpads?\b",)),
    Role("synthesiser", "keys", (r"\b(syn\w*|keys?|arp|lead syn\w*)\b",)),
    Role("clarinet", "winds & brass", (r"\b(clar\w*|clt|cl)\b",)),
    Role("flute", "winds & brass", (r"\b(flute|flt|fl|piccolo|whistle)\b",)),
    Role("oboe", "winds & brass", (r"\b(oboe|ob|bassoon|fagott?)\b",)),
    Role("baritone saxophone", "winds & brass", (r"\b(bari?\w* ?sax\w*|bsax|bari|sax\w* ?bari?\w*)\b",)),
    Role("saxophone", "winds & brass", (r"\b(sax\w*|asax|tsax|alto|tenor ?sax)\b",)),
    Role("trumpet", "winds & brass", (r"\b(trum?pe?t|tpt|trp|cornet|flugel\w*|trompet\w*|tromba)\b",)),
    Role("trombone", "winds & brass", (r"\b(tro?m?b\w*|tbn|bone|posaune)\b",)),
    Role("horn", "winds & brass", (r"\b(horns?|hrn|brass)\b",)),
    Role("tuba", "winds & brass", (r"\b(tuba|sousa\w*|euph\w*)\b",)),
    Role("violin", "strings", (r"\b(violin|vln|fiddle|vn|geige|violon|viol[ií]n|violino)\b",)),
    Role("viola", "strings", (r"\b(viola|vla|va|bratsche)\b",)),
    Role("cello", "strings", (r"\b(cello|vc|vlc|violoncello)\b",)),
    Role("strings", "strings", (r"\b(strings?|str|quartet)\b",)),
    Role("lead voice", "voices", (r"\b(ld|lead|main)\b.*\b(vox|voc\w*|voice|vo|vx)\b",
        r"\b(vox|voc\w*|voice|vx)\b.*\b(ld|lead|main)\b", r"\b(lv|ldvox|leadvox)\b")),
    Role("backing voice", "voices", (r"\b(bv|bvs|bgv\w*|bvox|backing|choir|harm\w* ?(vox|voc\w*)|gang|crew)\b",)),
    Role("scratch voice", "voices", (r"\b(scratch|guide|gd|scr)\b",)),
    Role("voice", "voices", (r"\b(vox|voc\w*|voice|vx|sing\w*|rap|gesang|stimme|voix|voz|voce)\b",)),
    Role("bus", "buses", (r"\b(bus|grp|group|sum|stem)\b",)),
    *(Role(name, "buses", ()) for name in ("summing group", "parallel bus", "return", "folder group", "mix bus")),
    Role("unknown", "other", ()),
)  # fmt: skip

_BY_NAME = {role.name: role for role in ROLES}
_ORDERED_FOR_GUESSING = sorted(
    ROLES, key=lambda role: role.name in ("bass", "voice", "drums", "room", "bus", "percussion")
)


def family_of(role: str) -> str:
    """The family of a role's name; `other` for a role we do not know."""
    found = _BY_NAME.get(role)
    return found.family if found else "other"


def clean_name(stem: str) -> str:
    """A file name's stem as words: separators and camel case parted, take and track numbers dropped."""
    text = re.sub(r"([a-z])([A-Z])", r"\1 \2", stem)
    text = re.sub(r"[_.\-+()\[\]#]+", " ", text)
    text = re.sub(
        r"(?i)\b(take|tk|v|ver|version)\s?\d+\b|\b(final|edit|bounce|consolidated|raw|fix|new|mono|stereo|st)\b",
        " ",
        text,
    )
    text = re.sub(r"^\s*\d{1,3}\b(?=\s*\D)", " ", text)
    text = re.sub(r"([A-Za-z])(\d)", r"\1 \2", text)
    return re.sub(r"\s+", " ", text).strip()


def guess_role(stem: str) -> str:
    """The role a file name speaks of, `unknown` where it says nothing."""
    words = clean_name(stem).lower()
    for role in _ORDERED_FOR_GUESSING:
        if any(re.search(pattern, words) for pattern in role.words):
            return role.name
    return "unknown"


def display_name(stem: str) -> str:
    """The first name of a lane: the file's words, starting with a capital."""
    words = clean_name(stem) or stem.strip() or "Track"
    return words[:1].upper() + words[1:]
