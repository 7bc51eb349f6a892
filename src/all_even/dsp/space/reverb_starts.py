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
}  # fmt: skip
