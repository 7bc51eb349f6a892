"""What a track is: roles of the trade, their families, and the guess from a file name.

The guess reads words and common abbreviations of recording sheets. It is only a start: the user
can name another role for any lane, and nothing is decided from a role without saying so.
"""

import re
from dataclasses import dataclass
from functools import lru_cache

from all_even.session.tracks.words import typed_out, written_out

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
CLICK_TRACK = "click track"
"""For the players only, with the count-in."""
REFERENCE = "reference mix"
"""The whole song, as a rough mix or somebody else's: to compare with."""
NOT_IN_THE_MIX = frozenset({TRIGGER, CLICK_TRACK, REFERENCE})
"""Roles that are no part of the sum: never balanced, never counted as masking."""
EFFECT_RETURN = "printed effect"
_STRUCK_WORDS = r"(kick|kik|kck|bd|snare|snr|sn|sd|toms?|drums?|hats?)"

ROLES: tuple[Role, ...] = (
    Role(TRIGGER, "other", (r"\b(trig\w*)\b", rf"\b{_STRUCK_WORDS}\b.*\b(click|clk)\b")),
    Role(CLICK_TRACK, "other", (r"\b(click|clk|metronome?|metro|count ?-?in|count ?off|tempo track|clic|claqueta)\b",)),
    Role(EFFECT_RETURN, "other", (r"\b(fx|effects?|verb|reverb|rvb|hall reverb|delay|dly|echo|plate|rtn|return)\b",)),
    Role("kick out", "drums", (
        r"\b(grosse caisse|bombo|cassa|gran cassa|stortrumma|stopa|bumbo) ?(ext\w*|dehors|fuera|fuori|aussen)\b",
        r"(kick|kik|kck|bd|bass ?drum)s? ?(out|front|far|o)\b",)),
    Role("kick", "drums", (r"\b(kick|kik|kck|bd|bass ?drum|grosse caisse|bombo|cassa|gran cassa)s?\b",
        r"\b(kickdrum|stortrumma|centralka|stopa|bumbo)s?\b", r"\b(kick|kik|kck|bd)")),
    Role("snare bottom", "drums", (
        r"\b(caisse claire|caja|rullante|kleine trommel|caixa|werbel) ?(dessous|sous|abajo|sotto|unten|baixo|d[oó]l)\b",
        r"\b(snare|snr|sn|sd)s? ?(bottom|bot|btm|under|dn|down|b)\b",)),
    Role("snare top", "drums", (r"\b(snare|snr|sn|sd|caisse claire|caja|rullante|kleine trommel)s? ?(top|up|over|t)?\b",
        r"\b(werbel|caixa|virvel|redoblante)s? ?(top|up|over|t)?\b",)),
    Role("hi-hat", "drums", (r"\b(hi ?-?hats?|hats?|hh|hhat|charley|charleston|hi ?hat|hihat|chimbal|kotly)\b",)),
    Role("tom", "drums", (r"\b((floor|rack|low|high|hi|lo) ?)?toms?\b", r"\b(ft|rt)\b")),
    Role("overhead", "drums", (r"\b(overheads?|ovhds?|ovh|oh ?[lr]?|ohs|over heads?|aeriens?|aéreos?)\b",)),
    Role("ride", "drums", (r"\bride\b",)),
    Role("cymbal", "drums", (r"\b(cymbals?|cym|becken|platillos?|cymbales?|piatti?|prato|crash|china|splash)\b",)),
    Role("band room", "other", (
        r"\b(band|live|stage|hall|church|ensemble) ?(rooms?|amb\w*|mics?|microphones?)\b",
        r"\b(audience|crowd|publikum|public)\b",)),
    Role("room", "drums", (r"\b(rooms?|ambi\w*|amb|rm|raum|sala|pi[eè]ce)\b",)),
    Role("drums", "drums", (r"\b(drums?|kit|loop|beat|schlagzeug|batterie|bater[ií]a|batteria)\b",
        r"\b(trummor|perkusja|trommeln?)\b",)),
    Role("tambourine", "percussion", (r"\btamb\w*\b",)),
    Role("shaker", "percussion", (r"\b(shaker|shkr|maracas?|cabasa)\b",)),
    Role("clap", "percussion", (r"\bclaps?\b",)),
    Role("hand drum", "percussion", (r"\b(congas?|bongos?|cajon|djembe|darbuka|tabla)\b",)),
    Role("percussion", "percussion", (r"\b(perc\w*|cowbell|triangle|woodblock|guiro)\b",)),
    Role("sub bass", "bass", (r"\b(sub ?bass|sub ?syn\w*|sub|808)\b",)),
    Role("bass amplifier", "bass", (r"\b(bass|bs|bss|bgtr|basse|basso|bajo)\b.*\b(amp\w*|cab|mic|miked)\b",
        r"\bbamp\b")),
    Role("bass DI", "bass", (r"\b(bass|bs|bss|bgtr|basse|basso|bajo)\b.*\bdi\b",
        r"\bdi\b.*\b(bass|basse|basso|bajo)\b")),
    Role("bass clarinet", "winds & brass", (r"\bbass ?clar\w*\b",)),
    Role("double bass", "bass", (r"\b(double ?bass|upright|contrabass)\b",)),
    Role("synth bass", "bass", (r"\b(syn\w* ?bass|bass ?syn\w*)\b",)),
    Role("bass trombone", "winds & brass", (r"\bbass ?trom?b\w*\b",)),
    Role("bass", "bass", (r"\b(bass|bs|bss|basse|basso|bajo|baixo|bas|basgitarr?a?|ba(ss|ß)gitarre)\b",)),
    Role("acoustic guitar", "guitars", (r"\b(ac\w*|aco?u?s\w*|steel|nylon) ?(guit\w*|gtrs?|git)\b", r"\bagtr\b",
        r"\b(western|nylon|akustik|akustisk|folk)\w* ?(gitarr?e?|guitare|gtr|guitar|chitarra)\b",
        r"\b(gitarr?e?|guitarra|guitare|chitarra|gitara) ?(ac[uú]stica|acoustique|akust\w*|classica|folk)\b")),
    Role("mandolin", "guitars", (r"\bmand\w*\b",)),
    Role("banjo", "guitars", (r"\b(banjo|bjo)\b",)),
    Role("ukulele", "guitars", (r"\buku?l?e?l?e?\b",)),
    Role("electric guitar", "guitars", (r"\b(e|el|elec\w*)? ?-?(guit\w*|gtrs?|git|gt)\b", r"\begtr\b", r"\bgtr",
        r"\b(e ?-?)?(gitarr?e?|guitare|chitarra|guitarra|gitara|kitara)n?s?\b")),
    Role("accordion", "keys", (r"\b(acc?ord\w*|accd?n|squeeze\w*|akk?ordeon)\b",)),
    Role("harmonium", "keys", (r"\b(harmonium|harmon|hmnm|pump ?organ)\b",)),
    Role("organ", "keys", (r"\b(organ|org|orgel|orgue|organo|drawbars?)\b",)),
    Role("electric piano", "keys", (r"\b(e ?-?piano|epno|ep|elec\w* piano)\b",)),
    Role("piano", "keys", (r"\b(piano|pno|pf|klavier|fl[uü]gel|pianoforte|pianino)\b",)),
    Role("pad", "keys", (r"\bpads?\b",)),
    Role("synthesiser", "keys", (r"\b(syn\w*|keys?|arp|lead syn\w*)\b",)),
    Role("clarinet", "winds & brass", (r"\b(clar\w*|clt|cl)\b",)),
    Role("flute", "winds & brass", (r"\b(flute|flt|fl|piccolo|whistle)\b",)),
    Role("oboe", "winds & brass", (r"\b(oboe|ob|bassoon|fagott?)\b",)),
    Role("baritone saxophone", "winds & brass", (r"\b(bari?\w* ?sax\w*|bsax|bari|sax\w* ?bari?\w*)\b",)),
    Role("saxophone", "winds & brass", (r"\b(sax\w*|asax|tsax|alto|tenor ?sax)\b",)),
    Role("trumpet", "winds & brass", (r"\b(trum?pe?t|tpt|trp|cornet|flugel\w*|trompet\w*|tromba)\b",)),
    Role("trombone", "winds & brass", (r"\b(tro?m?b\w*|tbn|bone|posaune|tromb[oó]n|puzon)\b",)),
    Role("horn", "winds & brass", (r"\b(horns?|hrn|brass)\b",)),
    Role("tuba", "winds & brass", (r"\b(tuba|sousa\w*|euph\w*)\b",)),
    Role("violin", "strings", (r"\b(violin|vln|fiddle|vn|geige|violine|violon|skrzypce|viol[ií]n|violino)\b",)),
    Role("viola", "strings", (r"\b(viola|vla|va|bratsche)\b",)),
    Role("cello", "strings", (r"\b(cello|vc|vlc|violoncello|violoncelle|violonchelo|celli|wiolonczela)\b",)),
    Role("strings", "strings", (r"\b(strings?|str|quartet)\b",)),
    Role("lead voice", "voices", (r"\b(ld|lead|main)\b.*\b(vox|voc\w*|voice|vo|vx)\b",
        r"\b(vox|voc\w*|voice|vx)\b.*\b(ld|lead|main)\b", r"\b(lv|ldvox|leadvox)\b")),
    Role("backing voice", "voices", (r"\b(bv|bvs|bgv\w*|bg ?(vox|voc\w*)|bvox|backing|backs?|choir|chor)\b",
        r"\b(ch(oe|œ|o)urs?|coros?|cori|harm\w* ?(vox|voc\w*|voice)|gang)\b",
        r"\b(crew|ad ?libs?|doubles? ?vox|ooh?s|aahs?)\b",)),
    Role("scratch voice", "voices", (r"\b(scratch|guide|gd|scr)\b",)),
    Role("voice", "voices", (r"\b(vox|voc\w*|voice|vx|sing\w*|rap|gesang|stimme|voix|voz|voce)\b",
        r"\b(chant|canto|canta|s[aå]ng|wokal|vocali?)\b",)),
    Role(REFERENCE, "other", (r"\b(rough|ref|reference|referenz|mix ?down|master|2 ?mix|2 ?trk)\b",
        r"\b(full mix|stereo mix|mix|maquette|monitor mix|board mix|desk mix)\b")),
    Role("bus", "buses", (r"\b(bus|grp|group|sum|stem)\b",)),
    *(Role(name, "buses", ()) for name in ("summing group", "parallel bus", "return", "folder group", "mix bus")),
    Role("instrument", "other", ()),
    Role("unknown", "other", ()),
)  # fmt: skip

_BY_NAME = {role.name: role for role in ROLES}
_ORDERED_FOR_GUESSING = sorted(
    ROLES, key=lambda role: role.name in ("bass", "voice", "drums", "room", "bus", "percussion", REFERENCE)
)


def family_of(role: str) -> str:
    """The family of a role's name; `other` for a role we do not know."""
    found = _BY_NAME.get(role)
    return found.family if found else "other"


HELD_KEYS = frozenset({"accordion", "harmonium", "organ"})
HELD_STRINGS = frozenset({"violin", "viola", "cello"})


def is_held(role: str) -> bool:
    """Whether its notes keep sounding until they are let go, one instrument alone: what printed reverberation can be
    told of."""
    return role in HELD_KEYS | HELD_STRINGS or family_of(role) in ("winds & brass", "voices")


def guess_role(stem: str) -> str:
    """The role a file name speaks of, `unknown` where it says nothing."""
    return guessed(stem)[0]


WHOLE_WORD, THREE_LETTERS, TWO_LETTERS = 0.95, 0.85, 0.65
"""How sure a name makes one of a role, by the longest word that says so: short ones mean several things."""


@lru_cache(maxsize=4_000)
def guessed(stem: str) -> tuple[str, float]:
    """The role a file name speaks of and how sure that is, 0 to 1; `unknown` and 0 where it says nothing."""
    typed, longer = typed_out(stem).lower(), written_out(stem).lower()
    for role in _ORDERED_FOR_GUESSING:
        for pattern in role.words:
            found = re.search(pattern, typed) or re.search(pattern, longer)
            if found:
                letters = max((len(word) for word in re.findall(r"[^\W\d_]+", found[0])), default=0)
                return role.name, WHOLE_WORD if letters > 3 else THREE_LETTERS if letters == 3 else TWO_LETTERS
    return "unknown", 0.0


def display_name(stem: str) -> str:
    """The first name of a lane: the file's words, starting with a capital."""
    words = typed_out(stem) or stem.strip() or "Track"
    return words[:1].upper() + words[1:]
