"""What a session is worked to: targets and weights, each described once like a processor's setting.

They belong to schools, not to the sound: nothing is heard of them, but moves and figures go by them.
"""

from typing import Annotated, ClassVar

from all_even.dsp.processor import Described, setting

BESIDE_DB = 1.5
"""So far from its target the peak of the mix is left alone. Common practice: a mix peaks between -6 and -3 dBFS."""
Peak = Annotated[float, setting("Peak of the mix", "dBFS", -18.0, -1.0, step=0.5)]
Glue = Annotated[float, setting("Glue of the mix", "dB", 0.5, 6.0, step=0.5)]
Under = Annotated[float, setting("Parallel drums under the dry ones", "LU", 6.0, 40.0, step=1.0, decimals=0)]


class WorkSettings(Described, frozen=True, kw_only=True):
    """Targets of moves, and how much tracks of a kind matter (0 to 1) where figures weigh them."""

    SECTIONS: ClassVar[dict[str, str]] = {
        "mix_peak_dbfs": "Targets", "glue_db": "Targets", "parallel_under_lu": "Targets",
        "lead": "Importance", "carrying": "Importance", "usual": "Importance", "layer": "Importance",
        "guide": "Importance",
    }  # fmt: skip
    HELP: ClassVar[dict[str, str]] = {
        "mix_peak_dbfs": "Where the trim brings the loudest sample; 1.5 dB beside it are left alone.",
        "glue_db": "What the gentle compressor of the mix takes away in loud passages.",
        "parallel_under_lu": "How far the crushed copy of the drums stays under the drums themselves.",
        "lead": "Lead voices.",
        "carrying": "Kick, snare and bass: what carries the song.",
        "usual": "All that nothing else is said of.",
        "layer": "Percussion, pads, rooms: layers behind the others.",
        "guide": "Scratch voices and triggers.",
    }

    mix_peak_dbfs: Peak = -4.5
    glue_db: Glue = 1.5
    parallel_under_lu: Under = 22.0
    lead: Annotated[float, setting("Lead", "", 0.0, 1.0, step=0.05, decimals=2)] = 1.0
    carrying: Annotated[float, setting("Carrying", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.8
    usual: Annotated[float, setting("Usual", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.5
    layer: Annotated[float, setting("Layers", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.35
    guide: Annotated[float, setting("Guides", "", 0.0, 1.0, step=0.05, decimals=2)] = 0.05

    @property
    def peak_window_dbfs(self) -> tuple[float, float]:
        """Where the mix may peak."""
        return self.mix_peak_dbfs - BESIDE_DB, self.mix_peak_dbfs + BESIDE_DB
