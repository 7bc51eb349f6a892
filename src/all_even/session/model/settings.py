"""What a session is worked to: targets and weights, each described once like a processor's setting.

They belong to schools, not to the sound: nothing is heard of them, but moves and figures go by them.
"""

from typing import Annotated, ClassVar, Literal

from all_even.dsp.processor import Described, named, setting

BESIDE_DB = 1.5
"""Distance from its target within which the peak of the mix is left alone. Common practice: a mix peaks between -6 and
-3 dBFS."""
Peak = Annotated[float, setting("Peak of the mix", "dBFS", -18.0, -1.0, step=0.5)]
Working = Annotated[float, setting("Nominal level", "dBFS", -36.0, -6.0, step=1.0, decimals=0)]
WorkingPeak = Annotated[float, setting("Nominal peak", "dBFS", -24.0, 0.0, step=1.0, decimals=0)]
StationGain = Annotated[float, setting("Gain of a processor", "dB", 0.0, 3.0, step=0.5)]
WORKING_WITHIN_DB = 6.0
"""Distance from the working level within which a level does no harm. Common practice: into what answers to level about
-18 dBFS RMS while playing, peaks under about -6."""
Offset = Annotated[float, setting("Lead", "LU", -24.0, 12.0, step=0.5)]
Glue = Annotated[float, setting("Glue of the mix", "dB", 0.5, 6.0, step=0.5)]
Weight = Literal["lead", "carrying", "usual", "layer", "guide"]
"""How much a track matters; each is a number below."""
Owner = Literal["by its figures", "kick", "bass"]
BY_FIGURES: Owner = "by its figures"
"""Nobody decided: what the tracks have says who owns the bottom."""
Home = Literal["leave alone", "thin", "lift"]
HighPassing = Literal["where it is worth it", "everything but the bass", "each to its register"]
Shaping = Literal["lift and cut", "cut only"]
Aim = Literal["crisp in the band", "true alone"]
Under = Annotated[float, setting("Copy of what has no hits", "LU", 6.0, 40.0, step=1.0, decimals=0)]
Release = Literal["by the beat", "fastest", "by programme", "slow"]
Tone = Literal["first", "last"]
RideBy = Literal["fader", "region gain"]


class WorkSettings(Described, frozen=True, kw_only=True):
    """Targets of moves, and how much tracks of a kind matter (0 to 1) where figures weigh them."""

    SECTIONS: ClassVar[dict[str, str]] = {
        "lead_lu": "Starting points", "carrying_lu": "Starting points", "support_lu": "Starting points",
        "colour_lu": "Starting points",
        "working_rms_dbfs": "Levels on the way", "working_peak_dbfs": "Levels on the way",
        "station_gain_db": "Levels on the way",
        "mix_peak_dbfs": "Targets",
        "low_owner": "Low end", "owner_pull": "Low end", "bass_home": "Low end", "kick_over_bass_db": "Low end",
        "duck_smooth": "Low end",
        "uneven_over_db": "Dynamics", "even_aim": "Dynamics", "glue_db": "Dynamics", "glue_release": "Dynamics",
        "parallel_body_db": "Dynamics", "parallel_under_lu": "Dynamics", "bus_tone": "Dynamics",
        "ride_by": "Rides",
        "high_passing": "Share", "shaping": "Share", "aim": "Share", "noted_over_db": "Share",
        "lead": "Priority", "carrying": "Priority", "usual": "Priority", "layer": "Priority",
        "guide": "Priority",
    }  # fmt: skip
    HELP: ClassVar[dict[str, str]] = {
        "lead_lu": "How loud lead voices stand in the mix in “voice first”, against which the others are set.",
        "carrying_lu": "Kick, snare and bass there.",
        "support_lu": "Guitars, keys, winds, strings, backing voices, toms there.",
        "colour_lu": "Pads, percussion, cymbals and rooms there.",
        "working_rms_dbfs": "RMS while playing where a compressor, a gate or a saturation meets the sound. 6 dB beside "
        "it do no harm.",
        "working_peak_dbfs": "The highest peak there.",
        "station_gain_db": "What each processor adds: 0 keeps the level after it as before it, for fair comparisons. A "
        "little more is the other school, for the colour and the level.",
        "mix_peak_dbfs": "Where the trim brings the loudest sample; 1.5 dB beside it are left alone.",
        "uneven_over_db": "Notes or words of a line that lie further apart are offered to be evened out.",
        "even_aim": "Reduce the spread to this share; below it the player's own dynamics begin to go.",
        "glue_db": "What the gentle compressor of the mix takes away in loud passages.",
        "glue_release": "Schools: by the beat, back just before the next hit; as fast as can be without pumping; by "
        "programme, quick after peaks and slow after loud passages; slow, as for classical music.",
        "parallel_body_db": "By how much parallel compression lifts the body of the hits it lies under.",
        "parallel_under_lu": "How far such a copy stays under what it is of. Common practice: 20 to 26 LU are felt.",
        "bus_tone": "Schools: broad tone of the mix bus before its compression, which then hears it; or last.",
        "ride_by": "Schools: rides by the fader, after compression; or by region gain, before its chain.",
        "low_owner": "Who has priority under 80 Hz; everything else at the low end turns with it.",
        "owner_pull": "-1 where the kick usually leads the low end (much dance, hip-hop). 1 where the bass does (rock, "
        "long sub notes).",
        "bass_home": "Schools for the bass at 100 to 200 Hz: hardly touch it, thin it as puffy, lift it as its home.",
        "kick_over_bass_db": "How far a duck lets the kick stand over the bass while it sounds: more is deeper.",
        "duck_smooth": "Over 0 a duck comes back softer and later; under 0 tighter, up to a short pump.",
        "high_passing": "Schools: a high-pass where rumble or headroom are worth it; on everything that is no bass "
        "part (in a small ensemble the lowest part is the bass); or a high-pass and a low-pass on each, to its "
        "register, against what others bleed in.",
        "shaping": "Schools: bands may lift and cut, or only cut.",
        "aim": "Two legitimate versions of a part: crisp in the band, or true when heard alone; then bands move it by "
        "3 dB at most and timbre costs more.",
        "noted_over_db": "A band that moves by more than this is pointed out. A note, no fault.",
        "lead": "Lead voices.",
        "carrying": "Kick, snare and bass: what carries the song.",
        "usual": "Everything else.",
        "layer": "Percussion, pads, rooms: layers behind the others.",
        "guide": "Scratch voices and triggers.",
    }

    working_rms_dbfs: Working = -18.0
    working_peak_dbfs: WorkingPeak = -6.0
    station_gain_db: StationGain = 0.0
    lead_lu: Offset = 0.0
    carrying_lu: Annotated[float, setting("Core", "LU", -24.0, 12.0, step=0.5)] = -2.0
    support_lu: Annotated[float, setting("Support", "LU", -24.0, 12.0, step=0.5)] = -5.0
    colour_lu: Annotated[float, setting("Background", "LU", -24.0, 12.0, step=0.5)] = -9.0
    mix_peak_dbfs: Peak = -4.5
    uneven_over_db: Annotated[float, setting("Uneven over", "dB", 3.0, 12.0, step=0.5)] = 5.0
    even_aim: Annotated[float, setting("Even out to", "", 0.4, 0.9, step=0.05, decimals=2)] = 0.6
    glue_db: Glue = 1.5
    glue_release: Annotated[Release, named("Release of the glue")] = "by the beat"
    parallel_body_db: Annotated[float, setting("Body from a copy", "dB", 0.3, 3.0, step=0.1)] = 1.0
    bus_tone: Annotated[Tone, named("Tone of the mix bus")] = "first"
    parallel_under_lu: Under = 22.0
    ride_by: Annotated[RideBy, named("Rides by")] = "fader"
    low_owner: Annotated[Owner, named("Leads the low end")] = BY_FIGURES
    owner_pull: Annotated[float, setting("Genre leans, kick to bass", "", -1.0, 1.0, step=0.5)] = 0.0
    bass_home: Annotated[Home, named("Bass at 100 to 200 Hz")] = "leave alone"
    kick_over_bass_db: Annotated[float, setting("Kick over bass in a duck", "dB", 4.0, 24.0, step=1.0)] = 10.0
    duck_smooth: Annotated[float, setting("Duck smoother", "", -1.0, 1.0, step=0.1)] = 0.0
    high_passing: Annotated[HighPassing, named("High-pass")] = "where it is worth it"
    shaping: Annotated[Shaping, named("Bands")] = "lift and cut"
    aim: Annotated[Aim, named("Aim of a part")] = "crisp in the band"
    noted_over_db: Annotated[float, setting("Pointed out over", "dB", 3.0, 18.0, step=0.5)] = 6.0
    lead: Annotated[float, setting("Lead", "", 0.0, 1.0, step=0.05, decimals=2)] = 1.0
    carrying: Annotated[float, setting("Core", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.8
    usual: Annotated[float, setting("Support", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.5
    layer: Annotated[float, setting("Background", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.35
    guide: Annotated[float, setting("Guide", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.05

    @property
    def peak_window_dbfs(self) -> tuple[float, float]:
        """Where the mix may peak."""
        return self.mix_peak_dbfs - BESIDE_DB, self.mix_peak_dbfs + BESIDE_DB
