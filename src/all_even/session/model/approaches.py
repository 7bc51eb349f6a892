"""Approaches: other ways of working, each off until it is chosen. None changes what a session does without it.

A rule of an approach proposes only where its approach is chosen (`moves.kind.Kind.approach`); one that is a choice
turns a rule that is there anyway. Each is described once: its name, the stage at which it is found, and a sentence.
"""

from typing import Annotated, ClassVar, Literal

from msgspec import structs

from all_even.dsp.parameter import Choice
from all_even.dsp.processor import Described, named, settings

Ratio = Literal["as usual", "2:1", "3:1", "4:1"]
BalanceBy = Literal["faders", "clip gain"]
Width = Literal["as usual", "hard left and right"]


class Approaches(Described, frozen=True, kw_only=True):
    """STAGES: where the moves of each are found. HELP: a sentence for each."""

    STAGES: ClassVar[dict[str, str]] = {
        "balance_by": "balance", "pan_width": "balance", "two_knobs": "balance",
        "pocket": "low-end", "cut_under_notes": "low-end", "bass_dips": "low-end", "bass_top": "low-end",
        "bass_weight": "low-end", "bass_bite": "low-end", "thicken": "low-end", "kick_bottom": "low-end",
        "kick_drive": "low-end", "kick_click": "low-end", "retune": "low-end",
        "open_mics": "share", "voice_band": "share",
        "glue_ratio": "dynamics", "punch": "dynamics", "colour": "dynamics", "crunch": "dynamics",
        "character": "dynamics", "forward_brass": "dynamics", "even_hits": "dynamics", "note_sustain": "dynamics",
        "softer_hits": "dynamics", "shaken": "dynamics", "one_harmonic": "dynamics", "voice_bleed": "dynamics",
        "cabinet": "dynamics",
        "heard_room": "space", "one_side_late": "space", "loose_echo": "space", "tone_on_hits": "space",
    }  # fmt: skip
    HELP: ClassVar[dict[str, str]] = {
        "balance_by": "Moves of Balance turn clip gains; the faders stay at rest for rides.",
        "pan_width": "Hard: what is panned goes all the way out, or stays in the centre.",
        "two_knobs": "Without references: lows and highs of the mix on two broad knobs, at equal loudness.",
        "pocket": "The bass lifted where the kick leaves room, or the kick cut there, broad.",
        "cut_under_notes": "A bass that yields is high-passed near 60 Hz although notes lie there.",
        "bass_dips": "Broad dips at 100 to 180 and 300 to 600 Hz where the bass adds nothing.",
        "bass_top": "A low-pass on a bass whose top only fills space others need.",
        "bass_weight": "A lift near 70 Hz before the bass is compressed.",
        "bass_bite": "Bite at two places, up to 6 dB, whatever a small speaker says.",
        "thicken": "Beside the bass: driven lows, an octave below, or detuned doubles, in parallel.",
        "kick_bottom": "A kick without bottom: a low lift and a dip just above.",
        "kick_drive": "Saturation on the kick, its lows kept out.",
        "kick_click": "The kick’s click lifted and softened, both to hear.",
        "retune": "Kick or sub moved by semitones to the nearest note of the key.",
        "open_mics": "Low shelf down on open acoustic microphones.",
        "voice_band": "Instruments give way in the voice’s band, also where both play most of the time.",
        "glue_ratio": "Ratio of the glue, fitted anew: 2:1, 3:1 or 4:1.",
        "punch": "Groups and mix compressed so that hits stand out 2 to 4 dB further.",
        "colour": "Saturation in five voicings at equal loudness: a track, a group, all tracks.",
        "crunch": "A driven, compressed copy under the drums, its release by the beat.",
        "character": "A compressor that adds harmonics, at equal loudness.",
        "forward_brass": "Brass held forward: fastest attack, medium release, high ratio.",
        "even_hits": "Hits of drums evened out by a compressor.",
        "note_sustain": "Longer notes for guitars, keys and bass.",
        "softer_hits": "Less attack and less sustain for drums.",
        "shaken": "Tambourine, shaker and claps shaped.",
        "one_harmonic": "A band compressor on the one harmonic that runs away.",
        "voice_bleed": "Bleed in a voice turned down between phrases.",
        "cabinet": "A loudspeaker cabinet behind some drive, for direct bass, guitar and keys.",
        "heard_room": "A room that is meant to be heard, over “just audible”.",
        "one_side_late": "Percussion widened: one side 10 to 20 ms late.",
        "loose_echo": "Echoes slightly off the beat, slowly moving.",
        "tone_on_hits": "A drum without bottom gets a tone at each hit.",
    }

    balance_by: Annotated[BalanceBy, named("Balance by")] = "faders"
    pan_width: Annotated[Width, named("Width of the pan")] = "as usual"
    two_knobs: Annotated[bool, named("Two broad knobs")] = False
    pocket: Annotated[bool, named("Pocket")] = False
    cut_under_notes: Annotated[bool, named("High-pass under the notes")] = False
    bass_dips: Annotated[bool, named("Broad dips on the bass")] = False
    bass_top: Annotated[bool, named("Low-pass on the bass")] = False
    bass_weight: Annotated[bool, named("Weight before compression")] = False
    bass_bite: Annotated[bool, named("More bite")] = False
    thicken: Annotated[bool, named("Thicken the bass")] = False
    kick_bottom: Annotated[bool, named("Bottom for the kick")] = False
    kick_drive: Annotated[bool, named("Drive for the kick")] = False
    kick_click: Annotated[bool, named("Click both ways")] = False
    retune: Annotated[bool, named("Retune to the key")] = False
    open_mics: Annotated[bool, named("Open microphones")] = False
    voice_band: Annotated[bool, named("Voice ducks a band")] = False
    glue_ratio: Annotated[Ratio, named("Ratio of the glue")] = "as usual"
    punch: Annotated[bool, named("Punch")] = False
    colour: Annotated[bool, named("Colour")] = False
    crunch: Annotated[bool, named("Crunchy copy")] = False
    character: Annotated[bool, named("Compressor with harmonics")] = False
    forward_brass: Annotated[bool, named("Forward brass")] = False
    even_hits: Annotated[bool, named("Even hits")] = False
    note_sustain: Annotated[bool, named("Sustain for notes")] = False
    softer_hits: Annotated[bool, named("Softer hits")] = False
    shaken: Annotated[bool, named("Shaken percussion")] = False
    one_harmonic: Annotated[bool, named("One harmonic held")] = False
    voice_bleed: Annotated[bool, named("Bleed in a voice")] = False
    cabinet: Annotated[bool, named("Cabinet")] = False
    heard_room: Annotated[bool, named("Room to be heard")] = False
    one_side_late: Annotated[bool, named("One side late")] = False
    loose_echo: Annotated[bool, named("Loose echoes")] = False
    tone_on_hits: Annotated[bool, named("Tone under a drum")] = False

    @property
    def chosen(self) -> tuple[str, ...]:
        """Those that are not as they are by default, in order."""
        return tuple(name for name, setting in settings(Approaches).items() if getattr(self, name) != setting.default)


def all_chosen() -> Approaches:
    """Every approach at once: a choice at its last option."""
    last = {name: setting.options[-1] if isinstance(setting, Choice) else True
            for name, setting in settings(Approaches).items()}  # fmt: skip
    return structs.replace(Approaches(), **last)
