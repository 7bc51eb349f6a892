"""The strip that sessions of the benchmarks are full of: high-pass, six bands, compressor, two sends; four buses."""

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.session.model.strips import Lane, Send

BANDS = tuple(Band(frequency_hz=100.0 * 2.2**index, gain_db=(-1) ** index * 2.0, q=1.0) for index in range(6))
BUSES = ("bus0", "bus1", "bus2", "bus3")
"""Two groups and two returns."""


def full_lane(index: int, file: str, *, level_db: float, pan: float = 0.0, role: str = "unknown") -> Lane:
    """Lane number `index`; its group in turn, both returns."""
    return Lane(
        id=f"lane{index}",
        name=f"Track {index}",
        file=file,
        role=role,
        level_db=level_db,
        pan=pan,
        destination=BUSES[index % 2],
        sends=(Send(to=BUSES[2], level_db=-12.0), Send(to=BUSES[3], level_db=-18.0)),
        chain=(
            HighPass(id=f"h{index}", frequency_hz=60.0),
            Equaliser(id=f"e{index}", bands=BANDS),
            Compressor(id=f"c{index}", threshold_db=-30.0, ratio=3.0),
        ),
    )


def bus_compressor(index: int) -> Compressor:
    return Compressor(id=f"b{index}", threshold_db=-24.0)
