"""The words of the screen, decided once: what each means for the sound, and what is not said in its place.

Window, ledger, cards, sheets, command line and docs use these. The trade's word wherever there is one. `docs/words.md`
is written from here (`tools/words.py`), Help shows it, and a test holds that no replaced word comes back.
"""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Term:
    """means: in a sentence or two. group: under which heading. instead_of: regular expressions of what is not said."""

    word: str
    means: str
    group: str
    instead_of: tuple[str, ...] = ()


SESSION, LEVELS, MASKING, LOW_END, DYNAMICS, SPACE, MOVES = (
    "The session", "Levels", "Masking and EQ", "Low end and ducking", "Dynamics", "Space", "Moves and checks",
)  # fmt: skip
TERMS = (
    Term("track", "One recording, or one row of the session: a file, its inserts, fader, pan and sends.", SESSION,
         (r"\blanes?\b",)),
    Term("processor", "Anything in a signal chain: equaliser, compressor, gate, reverb … On a track: an insert.",
         SESSION, (r"\bstations?\b",)),
    Term("signal chain", "The inserts of a track, group or the mix in the order of the signal, with the level behind "
         "each.", SESSION, (r"\blevel path\b",)),
    Term("output", "Where a track or group goes: a group, the mix, or nowhere (it only steers a sidechain).", SESSION,
         (r"\bgoes to the mix\b", r"\blead(s)? to the mix\b")),
    Term("summing group", "A bus with inserts, fader and sends of its own, for tracks that are treated as one.",
         SESSION),
    Term("folder", "One fader, mute and solo for tracks that only move together; no sound passes through it.",
         SESSION),
    Term("tracks in group", "What plays into a group.", SESSION, (r"^Members",)),
    Term("alternate takes", "Tracks that hold the same part; one plays, the others are muted and never counted twice. "
         "U swaps them.", SESSION, (r"\bcandidates? for one part\b", r"\bcandidates that play\b")),
    Term("mics of one source", "Several microphones at one instrument; for masking they count as one.", SESSION),
    Term("bench", "The lower half of the window: the close look at what is selected, different at each stage.",
         SESSION),
    Term("loudness in mix", "How loud a track is where it reaches the mix, in LUFS, gated: behind inserts, fader, pan "
         "and groups. Mutes and solos are left aside.", LEVELS, (r"\barrives? at\b",)),
    Term("level into inserts", "RMS level while it plays, where the signal chain begins. Compressors and saturation "
         "depend on it.", LEVELS, (r"\binto the chain\b",)),
    Term("nominal level", "What level-dependent inserts expect: about −18 dBFS RMS while playing; a setting.", LEVELS,
         (r"\bworking level\b",)),
    Term("clip gain", "A gain on the recording itself, before all inserts.", LEVELS),
    Term("PLR", "Peak to loudness ratio: the highest peak less the loudness. Small is dense.", LEVELS,
         (r"\bloudness to peak\b",)),
    Term("active", "Share of the song in which a track plays, within 20 LU of its loudness.", LEVELS,
         (r"^Plays \d",)),
    Term("DC offset", "The wave does not lie around zero; it costs headroom and clicks at cuts.", LEVELS,
         (r"\bdirect current:",)),
    Term("polarity inverted", "Plus and minus are swapped: with the other microphone, the low end cancels.", LEVELS,
         (r"\bupside down\b",)),
    Term("masked", "How much of a track the others make inaudible at the levels they have, in percent: 0 is all "
         "heard. In the better ear: panned as it is. On speakers: each ear hears both sides.", MASKING,
         (r"\bhides whom\b", r"\b(is|are) covered\b", r"% (hidden|covered)\b", r"\bhidden of (it|all)\b")),
    Term("priority", "How much a track matters where all can't be heard: lead, core, support, background, guide. "
         "By its role unless you say it.", MASKING, (r"^Counts( as)?$",)),
    Term("mostly in", "The zone of the spectrum in which most of the masking "
                      "happens.", MASKING, (r"^Most in$", r"\bdearest\b")),
    Term("overlap in time", "Of the time a track plays there, how long the other does too.", MASKING, (r"^At once$",)),
    Term("opposite EQ", "Two alike instruments get different cuts: one up where the other goes down.", MASKING,
         (r"\bdifferent centres\b",)),
    Term("try muting", "Much of a track is masked anyway: hear the song without it before you work on it.", MASKING,
         (r"^Leave out\b",)),
    Term("leads the low end", "Kick or bass: the one that has the range under about 80 Hz; the other gives way there.",
         LOW_END, (r"\bowns? the bottom\b", r"\bowner\b(?! zones| low)")),
    Term("EQ cuts", "Cuts that give the one that leads its range, and the other its own.", LOW_END,
         (r"\bclearings?\b",)),
    Term("kick audible", "How much of the kick's low sound is heard over the bass; under 70 % it loses its "
         "definition.", LOW_END, (r"\bfocus of the kick\b",)),
    Term("bass headroom", "How much louder the bass could be before it masks the "
                          "kick.", LOW_END, (r"\bbass may rise\b",)),
    Term("kick and bass peak", "How far the sum of both stands over the kick alone while it sounds.", LOW_END,
         (r"\bpile-ups?\b",)),
    Term("dip after the hit", "How far the sum falls under the louder of both behind a hit: the bass comes back too "
         "late.", LOW_END, (r"^Hole\b", r"\bholes?\b (of|behind|or)")),
    Term("sidechain", "The sound that a compressor listens to instead of its own: here mostly the kick. From a click: "
         "a silent short one per hit. High-passed: only its attack.", LOW_END, (r"\bkeyed\b", r"\bclick key\b")),
    Term("drawn shape", "A gain curve per hit, or on the grid, instead of a compressor: attack, hold, release in "
         "milliseconds.", LOW_END, (r"\bsteps back within\b", r"\bis back after\b", r"\btimeline\b")),
    Term("pocket", "The place above the kick where the bass is clear of it, lifted; or room made there in the kick.",
         LOW_END),
    Term("bass start lost", "What a duck takes from the first 40 ms of the bass's notes that begin with a hit.",
         LOW_END),
    Term("low-frequency distortion", "The gain follows the wave itself, because the release is too short.", DYNAMICS,
         (r"^Ripple$",)),
    Term("pumping", "Sustained notes swell after each hit, by so many dB.", DYNAMICS, (r"\bbreathes by\b",)),
    Term("phrase dynamics kept", "How much of the loud and soft of whole phrases is left.", DYNAMICS, (r"^Contour$",)),
    Term("spread", "From soft to loud notes, words or hits: 10th to 90th percentile, in dB.", DYNAMICS, (r"^Apart\b",)),
    Term("parallel compression", "A copy compressed hard, mixed in low under the dry sound.", DYNAMICS,
         (r"\bcrushed\b",)),
    Term("voicing", "The way a saturation bends the wave: odd or even harmonics, hard, tape-like.", DYNAMICS),
    Term("treble of hits", "What hits have over 3 kHz in their first 50 ms, at equal loudness: fast attacks take it.",
         DYNAMICS),
    Term("dry over reverb", "Direct sound against what comes back from the returns, in dB: less is further away.",
         SPACE, (r"\bdirect over return",)),
    Term("just audible when muted", "A reverb is set where muting it is just noticed.", SPACE,
         (r"\bjust missed when muted\b",)),
    Term("warnings", "What is wrong with the session at this stage as it is; nothing is changed by reading them.",
         MOVES, (r"^As it stands$",)),
    Term("move", "A proposed change with its reason and what it should bring; hear it, apply it, decline it.", MOVES),
    Term("approach", "Another way of working, off until chosen: it opens optional moves and changes nothing else.",
         MOVES),
    Term("2nd opinion", "What is masked by another estimate, on which no move is fitted: it judges beside a move's "
         "own figure.",
         MOVES),
    Term("questions", "What only you can say; a press answers. The card has a dotted bar in the colour of "
         "warnings.", MOVES),
    Term("optional", "Moves that no finding asks for: taste, repairs with a price. Their cards have a dotted bar; "
         "recommended moves have a solid one.", MOVES,
         (r"\bmatters? of taste\b", r": a taste\b")),
    Term("estimate, measured, calculated", "Where an expected figure comes from: predicted from figures; rendered and "
         "measured; it follows by arithmetic.", MOVES, (r"\btried out\b", r"\bworked out \(", r"\bas worked out\b")),
    Term("done", "A stage you are content with. The mark goes by itself when something it rests on changes.", MOVES,
         (r"\btick .* off\b", r"\bticked off\b")),
    Term("mix and references", "The mix in six zones of the spectrum beside finished ones.", MOVES, (r"^Whole$",)),
    Term("stereo placement", "Who stands where, by pan and row.", MOVES, (r"^Seats$",)),
    Term("clear automation", "Takes a curve away: the setting stays where its control is.", MOVES,
         (r"\bstands? still\b",)),
)  # fmt: skip


def groups() -> tuple[str, ...]:
    """The headings in their order."""
    return tuple(dict.fromkeys(term.group for term in TERMS))
