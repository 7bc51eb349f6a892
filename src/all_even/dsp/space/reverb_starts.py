"""Places to begin from: settings of the reverb by the kind of room."""

from all_even.dsp.space.reverb import Reverb

STARTS: dict[str, Reverb] = {
    "ambience": Reverb(
        decay_s=0.4, size_ms=34.0, predelay_ms=0.0, early_ms=20.0, early_db=-3.0, low_ratio=1.2, low_hz=200.0,
        high_ratio=0.45, high_hz=4500.0, diffusion=0.55,
    ),
    "room": Reverb(
        decay_s=0.8, size_ms=34.0, predelay_ms=8.0, early_ms=32.0, early_db=-5.0, low_ratio=1.0, low_hz=250.0,
        high_ratio=0.55, high_hz=5000.0, modulation_ms=0.2,
    ),
    "plate-like": Reverb(
        decay_s=1.6, size_ms=50.0, predelay_ms=12.0, early_db=-40.0, diffusion=0.68, low_ratio=0.75, low_hz=300.0,
        high_ratio=0.7, high_hz=6000.0,
    ),
    "hall": Reverb(
        decay_s=2.4, size_ms=75.0, predelay_ms=25.0, early_ms=70.0, early_db=-5.0, low_ratio=1.2, low_hz=250.0,
        high_ratio=0.4, high_hz=3500.0, modulation_ms=0.35,
    ),
    "chamber": Reverb(
        decay_s=1.3, size_ms=44.0, predelay_ms=10.0, early_ms=45.0, early_db=-4.0, low_ratio=1.1, low_hz=250.0,
        high_ratio=0.6, high_hz=4500.0, modulation_ms=0.25,
    ),
    "church": Reverb(
        decay_s=3.8, size_ms=80.0, predelay_ms=35.0, early_ms=90.0, early_db=-7.0, low_ratio=1.3, low_hz=200.0,
        high_ratio=0.45, high_hz=3500.0, modulation_ms=0.35,
    ),
    "large church": Reverb(
        decay_s=5.5, size_ms=80.0, predelay_ms=55.0, early_ms=90.0, early_db=-7.0, low_ratio=1.25, low_hz=200.0,
        high_ratio=0.5, high_hz=6000.0, modulation_ms=0.2,
    ),
    "open air": Reverb(
        decay_s=1.2, size_ms=60.0, predelay_ms=90.0, early_ms=60.0, early_db=-2.0, low_ratio=0.85, low_hz=300.0,
        high_ratio=0.55, high_hz=5000.0, modulation_ms=0.25,
    ),
}  # fmt: skip
