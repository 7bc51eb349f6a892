"""Words of file names: parted, and written out where they are short.

What belongs to the file and not to the sound goes (`48k`, `stereo`); every word that tells one track from another
stays, as it was typed where we do not know it. The abbreviations are those of recording sheets (common practice).
"""

import re
from collections.abc import Sequence


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


LONGER: dict[str, str] = {
    "e gitarre": "E-Gitarre", "e bass": "E-Bass",
    "kik": "kick", "kck": "kick", "kk": "kick", "bd": "kick", "bass drum": "kick", "bassdrum": "kick",
    "snr": "snare", "sn": "snare", "sd": "snare", "snare t": "snare top", "snare b": "snare bottom",
    "sn t": "snare top", "sn b": "snare bottom", "snr t": "snare top", "snr b": "snare bottom",
    "btm": "bottom", "bot": "bottom", "bt": "bottom", "tp": "top", "undr": "under",
    "hh": "hi-hat", "hi hat": "hi-hat", "hihat": "hi-hat", "hhat": "hi-hat", "hi hats": "hi-hats", "hats": "hats",
    "oh": "overhead", "ohs": "overheads", "ovh": "overhead", "ovhd": "overhead", "ovhds": "overheads",
    "ohl": "overhead left", "ohr": "overhead right", "over head": "overhead", "over heads": "overheads",
    "ft": "floor tom", "rt": "rack tom", "flr tom": "floor tom", "flr": "floor", "cym": "cymbal", "cyms": "cymbals",
    "rm": "room", "rms": "rooms", "rml": "room left", "rmr": "room right", "amb": "ambience",
    "tamb": "tambourine", "tmb": "tambourine", "shkr": "shaker", "shk": "shaker", "perc": "percussion",
    "trig": "trigger", "clk": "click", "bs": "bass", "bss": "bass", "bgtr": "bass guitar", "db bass": "double bass",
    "syn": "synth", "syn bass": "synth bass", "ac bass": "acoustic bass",
    "gtr": "guitar", "gtrs": "guitars", "git": "guitar", "gt": "guitar", "guit": "guitar",
    "e gtr": "electric guitar", "el gtr": "electric guitar", "elec gtr": "electric guitar",
    "e guitar": "electric guitar", "el guitar": "electric guitar", "elec guitar": "electric guitar",
    "egtr": "electric guitar", "agtr": "acoustic guitar", "ac gtr": "acoustic guitar", "aco gtr": "acoustic guitar",
    "acc gtr": "acoustic guitar", "acou gtr": "acoustic guitar", "ac guitar": "acoustic guitar",
    "acous gtr": "acoustic guitar", "nyl gtr": "nylon guitar", "elec": "electric", "acous": "acoustic",
    "mand": "mandolin", "mando": "mandolin", "bjo": "banjo", "uke": "ukulele", "pdl steel": "pedal steel",
    "accd": "accordion", "accdn": "accordion", "acc": "accordion", "hmnm": "harmonium", "org": "organ",
    "pno": "piano", "pf": "piano", "ep": "electric piano", "e piano": "electric piano", "epno": "electric piano",
    "epiano": "electric piano", "elec pno": "electric piano", "e pno": "electric piano", "kbd": "keyboard",
    "kbds": "keyboards", "keys": "keys", "synth": "synth", "arp": "arpeggio",
    "sax": "saxophone", "asax": "alto saxophone", "tsax": "tenor saxophone", "bsax": "baritone saxophone",
    "ssax": "soprano saxophone", "bari sax": "baritone saxophone", "bari": "baritone saxophone",
    "bar sax": "baritone saxophone", "tpt": "trumpet", "trp": "trumpet", "tbn": "trombone", "trb": "trombone",
    "btbn": "bass trombone", "bone": "trombone", "hrn": "horn", "fh": "french horn", "fr hn": "french horn",
    "flug": "flugelhorn", "clar": "clarinet", "cl": "clarinet", "bcl": "bass clarinet", "b clar": "bass clarinet",
    "flt": "flute", "fl": "flute", "pic": "piccolo", "picc": "piccolo", "ob": "oboe", "bsn": "bassoon",
    "euph": "euphonium", "sousa": "sousaphone", "harm": "harmony", "hmny": "harmony", "hrmny": "harmony",
    "vln": "violin", "vlns": "violins", "vn": "violin", "vla": "viola", "vlas": "violas", "vc": "cello",
    "vlc": "cello", "vcl": "cello", "str": "strings", "strgs": "strings",
    "vox": "voice", "voc": "voice", "vx": "voice", "vo": "voice", "vocal": "voice", "vocals": "voices",
    "vocs": "voices", "ld vox": "lead voice", "ldvox": "lead voice", "lv": "lead voice", "lead vox": "lead voice",
    "ld voc": "lead voice", "lead voc": "lead voice", "ld vx": "lead voice", "ld vocal": "lead voice",
    "bv": "backing voice", "bvs": "backing voices", "bgv": "backing voice", "bgvs": "backing voices",
    "bvox": "backing voice", "bg vox": "backing voice", "bk vox": "backing voice", "back vox": "backing voice",
    "bg voc": "backing voice", "bck vox": "backing voice", "gd vox": "guide voice", "scr": "scratch", "gd": "guide",
    "dbl": "double", "doub": "double", "dub": "double", "trpl": "triple", "tk": "take", "ld": "lead", "rhy": "rhythm",
    "rhtm": "rhythm", "rhythm": "rhythm", "dist": "distorted", "drt": "dirty", "cln": "clean", "cab": "cabinet",
    "mic": "microphone", "amp": "amplifier", "amped": "amplifier", "fx": "effects", "efx": "effects",
    "verb": "reverb", "rvb": "reverb", "dly": "delay", "rtn": "return", "ctr": "centre", "cntr": "centre",
    "lft": "left", "rgt": "right", "rght": "right", "lo": "low", "hi": "high", "md": "mid", "ref": "reference",
    "chrs": "chorus", "cho": "chorus", "vrs": "verse", "brg": "bridge", "pre ch": "pre-chorus", "instr": "instrument",
    "grp": "group", "sub": "sub", "drm": "drum", "drms": "drums", "crsh": "crash", "spl": "splash", "xtra": "extra",
}  # fmt: skip
"""What a word, or words in a row, is written out as."""

PLAIN_WORDS = _words(
    "kick snare top bottom hat hats tom toms rack floor low high mid overhead overheads ride crash china splash "
    "cymbal room rooms drum drums kit loop beat clap claps shaker conga congas bongo bongos cajon cowbell "
    "triangle percussion bass sub guitar guitars electric acoustic banjo mandolin ukulele piano organ pad pads "
    "keys synth lead voice voices choir gang crew backing harmony scratch guide double triple take in out inside "
    "outside under over near far close left right centre middle side dirty clean dry wet raw tuned edit comp alt "
    "alternative long short tail soft hard loud quiet main solo chorus verse bridge intro outro fill spare old "
    "new extra reverb delay echo return effects reverse trigger click sample layer rhythm line direct amplifier "
    "cabinet microphone trumpet trombone tuba horn horns flute oboe clarinet saxophone alto tenor baritone "
    "soprano violin viola cello strings wide narrow mono stereo unison octave lower upper first second third "
    "whisper shout breath adlib adlibs talk noise hum count final print live front back audience"
)
"""Trade words that are written small whatever case they were typed in."""
CAPITALS = {"di": "DI", "oh": "OH", "ms": "MS", "xy": "XY", "ortf": "ORTF", "eq": "EQ", "ir": "IR"}
SIDES = {"l": "left", "r": "right"}
OF_THE_FILE = _words(
    "wav aif aiff flac mp3 ogg stereo st stereo mono mn bounce bounced bip render rendered consolidated cons "
    "export exported audio track trk file bit khz hz k kbps bpm pcm"
)
"""Words about the file, not about what is heard. They stay where they alone tell two lanes apart."""
OF_NOBODY = _words(
    "final finals new newest old take takes edit mix untitled recording rec record ch chan channel input in out sound "
    "sounds session song project version ver clip region part print tr aud noname unnamed copy"
)
"""Words that name no instrument."""
VERSION = frozenset({"v", "ver", "version"})
MACHINES = frozenset({"808", "909", "707", "606"})
"""Numbers that say what is heard."""
LONGEST_PHRASE = 2


def split_words(stem: str) -> list[str]:
    """A file name's stem as words: separators and camel case parted, letters from digits."""
    text = re.sub(r"\b(\d+(?:[.,]\d+)?)\s*(?i:k|khz|hz|bit|bpm)\b", " ", stem.replace("_", " "))
    text = re.sub(r"([a-z])([A-Z])", r"\1 \2", text)
    text = re.sub(r"([A-Z]{2,})([A-Z][a-z]{2,})", r"\1 \2", text)
    text = re.sub(r"(?<=\w)[.](?=\w)|[\s.\-–+()\[\]{}#,;~&=@!]+", " ", text)
    text = re.sub(r"([^\W\d_])(\d)", r"\1 \2", text)
    text = re.sub(r"(\d)(?!(?:st|nd|rd|th)\b)([^\W\d_]{2,})", r"\1 \2", text)
    return text.split()


def typed_out(stem: str) -> str:
    """The stem's words as they were typed, without the number of the file in front."""
    words = split_words(stem)
    if len(words) > 1 and re.fullmatch(r"\d{1,3}", words[0]) and not words[1].isdigit():
        words = words[1:]
    return " ".join(words)


def written_out(stem: str, *, numbers: bool = False, of_the_file: bool = False, also_drop: int = 0) -> str:
    """A file name's stem as a name. numbers: with those that are not a take's; of_the_file: with words about the file;
    also_drop: so many words at the front that all files share."""
    words = split_words(stem)[also_drop:]
    if len(words) > 1 and re.fullmatch(r"\d{1,3}", words[0]) and not words[1].isdigit():
        words = words[1:]
    found: list[str] = []
    at = 0
    while at < len(words):
        phrase, length = _longest_phrase(words[at:])
        if phrase:
            found.append(phrase)
            at += length
            continue
        word = words[at]
        low = word.lower()
        after_take = bool(found) and found[-1] == "take"
        versioned = at + 1 < len(words) and words[at + 1].isdigit()
        if word in MACHINES:
            found.append(word)
        elif low in VERSION and versioned and not numbers:
            at += 1
        elif word.isdigit():
            if numbers or after_take:
                found.append(str(int(word)))
        elif low in ("t", "b") and found and found[0] == "snare":
            found.append("top" if low == "t" else "bottom")
        elif low in SIDES and at > 0 and all(other.isdigit() for other in words[at + 1 :]):
            found.append(SIDES[low])
        elif low in OF_THE_FILE:
            if of_the_file:
                found.append(low)
        elif low in CAPITALS:
            found.append(CAPITALS[low])
        elif low in PLAIN_WORDS:
            found.append(low)
        else:
            found.append(word)
        at += 1
    text = " ".join(found)
    return text[:1].upper() + text[1:]


def _longest_phrase(words: Sequence[str]) -> tuple[str, int]:
    for length in range(min(LONGEST_PHRASE, len(words)), 0, -1):
        phrase = LONGER.get(" ".join(words[:length]).lower())
        if phrase is not None:
            return phrase, length
    return "", 0
