"""Moves that put bands of an equaliser on several sources: their bands as parameters, and the edit that makes them.

Each band has an id, `unit/number`; what it is stands in parameters by that id, so that people can leave single ones
out. Every microphone of a source gets the same equaliser, at the end of its chain, with the gain that keeps the
source's loudness as its output.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.figures.sources.units import Unit
from all_even.measure.sharing.scene import Trial
from all_even.moves.kind import left_out, per_strip
from all_even.moves.share.keeping import kept_of
from all_even.moves.share.search import gains_of
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Parameters, Proposal
from all_even.session.model.session import Session

OUTPUTS, LANES, MEASURED, BUSES, PEAKS = "outputs_db", "lanes", "measured_without", "bus_dynamics", "peaks_db"
SHELVES = ("low shelf", "high shelf")
PEAK, TOLD_PEAK_DB = " Peaks rise:", 1.0


@dataclass(frozen=True, slots=True)
class Placed:
    """A band on a source. worth: by how much share* is lower with it than without, 0 to 1."""

    unit: str
    band: Band
    worth: float = 0.0


def parameters(units: Iterable[Unit], placed: Sequence[Placed]) -> Parameters:
    """As they stand in a proposal."""
    touched = {one.unit for one in placed}
    ids = names(placed)
    return {
        "frequency_hz": {i: one.band.frequency_hz for i, one in zip(ids, placed, strict=True)},
        "gain_db": {i: one.band.gain_db for i, one in zip(ids, placed, strict=True)},
        "q": {i: one.band.q for i, one in zip(ids, placed, strict=True)},
        "worth": {i: one.worth for i, one in zip(ids, placed, strict=True)},
        **{shape: tuple(i for i, one in zip(ids, placed, strict=True) if one.band.shape == shape) for shape in SHELVES},
        LANES: tuple(f"{unit.id} {lane.id}" for unit in units if unit.id in touched for lane in unit.lanes),
    }


def names(placed: Sequence[Placed]) -> list[str]:
    """An id for each band: its source and its number there."""
    counts: dict[str, int] = {}
    found = []
    for one in placed:
        counts[one.unit] = counts.get(one.unit, 0) + 1
        found.append(f"{one.unit}/{counts[one.unit]}")
    return found


def bands_of(proposal: Proposal) -> dict[str, tuple[Band, ...]]:
    """What a move puts on each source, by unit id, without what was left out."""
    hertz, gains, qs = (per_strip(proposal, name) for name in ("frequency_hz", "gain_db", "q"))
    shapes = {i: shape for shape in SHELVES for i in _names(proposal, shape)}
    found: dict[str, tuple[Band, ...]] = {}
    for i, hz in hertz.items():
        shape = "low shelf" if shapes.get(i) == "low shelf" else "high shelf" if i in shapes else "bell"
        unit = i.partition("/")[0]
        band = Band(shape=shape, frequency_hz=hz, gain_db=gains[i], q=qs[i])  # type: ignore[arg-type]
        found[unit] = (*found.get(unit, ()), band)
    return found


def _names(proposal: Proposal, parameter: str) -> tuple[str, ...]:
    found = proposal.parameters.get(parameter, ())
    return found if isinstance(found, tuple) else ()


def lanes_of(proposal: Proposal) -> dict[str, list[str]]:
    """The lanes of each source."""
    found: dict[str, list[str]] = {}
    for pair in _names(proposal, LANES):
        unit, _, lane = pair.partition(" ")
        found.setdefault(unit, []).append(lane)
    return found


def words(band: Band) -> str:
    """`3 dB up at 630 Hz, broad`."""
    how = f"{number(abs(band.gain_db))} dB {'up' if band.gain_db > 0 else 'down'}"
    place = f"{number(band.frequency_hz, 0)} Hz"
    if band.shape in SHELVES:
        return f"{how} {'under' if band.shape == 'low shelf' else 'over'} {place}"
    return f"{how} at {place}, Q {number(band.q)}"


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Each band, and what it is worth."""
    everything = replace(proposal, parameters={**proposal.parameters, "left_out": ()})
    lanes, worth = lanes_of(everything), per_strip(everything, "worth")
    found = []
    for unit, its in bands_of(everything).items():
        known = [lane for lane in lanes.get(unit, []) if session.is_lane(lane)]
        for n, band in enumerate(its, 1):
            if known:
                i = f"{unit}/{n}"
                gained = f": {number(100.0 * worth[i], 2)} % less masked" if worth.get(i) else ""
                found.append((i, f"{session.lane(known[0]).name} {words(band)}{gained}"))
    return found


def measured(look: Look, proposal: Proposal) -> Proposal:
    """With the outputs that keep each source's loudness, and what is expected of the bands that are left in."""
    found = sharing(look)
    without = " ".join(left_out(proposal))
    if found is None or proposal.parameters.get(MEASURED) == without:
        return proposal
    by_id = {unit.id: unit for unit in found.units}
    bands = {unit: its for unit, its in bands_of(proposal).items() if unit in by_id}
    kept = kept_of(look, {unit: (by_id[unit], Equaliser(bands=its)) for unit, its in bands.items()})
    outputs = {unit: one.output_db for unit, one in kept.items()}
    trial = tried(found, bands, outputs)
    given = {**proposal.parameters, OUTPUTS: outputs, MEASURED: without, BUSES: bus_dynamics(look.session),
             PEAKS: {unit: one.peak_db for unit, one in kept.items()}}  # fmt: skip
    found_now = replace(proposal, parameters=given, expected=100.0 * trial.mean())
    return replace(found_now, reason=proposal.reason.partition(PEAK)[0] + peak_words(found_now, by_id))


def peak_words(proposal: Proposal, units: Mapping[str, Unit]) -> str:
    """What it costs in headroom, where it costs any."""
    peaks = {unit: peak for unit, peak in per_strip(proposal, PEAKS).items() if unit in units}
    if not peaks:
        return ""
    unit, most = max(peaks.items(), key=lambda item: item[1])
    return f"{PEAK} {units[unit].name}'s most, by {number(most)} dB." if most >= TOLD_PEAK_DB else ""


def tried(found: Sharing, bands: Mapping[str, tuple[Band, ...]], outputs: Mapping[str, float] | None = None) -> Trial:
    """The scene with bands on it; without outputs each keeps the loudness that the bands predict."""
    trial = Trial(found.scene)
    for unit, its in bands.items():
        track = found.scene.names.index(unit)
        curve = gains_of(its, found.scene.sample_rate)
        kept = trial.kept(track, curve) if outputs is None else curve * 10.0 ** (outputs.get(unit, 0.0) / 10.0)
        trial.put(track, kept)
    return trial


def bus_dynamics(session: Session) -> tuple[str, ...]:
    """Stations on groups and the mix that answer to level: where one comes later, bands are to be listened to again.
    What goes beside the tracks, a compressed copy, leaves them as they are."""
    chains = [*(bus.chain for bus in session.buses if bus.use != "parallel"), session.mix.chain]
    return tuple(f"{type(station).__name__} {station.id}" for chain in chains for station in chain
                 if station.LEVEL_DEPENDENT and not station.bypass)  # fmt: skip


def edit(session: Session, proposal: Proposal) -> Session:
    """An equaliser at the end of every lane of each source; lanes that are gone stay out."""
    lanes, outputs = lanes_of(proposal), per_strip(proposal, OUTPUTS)
    for unit, its in bands_of(proposal).items():
        station = Equaliser(bands=its, output_db=outputs.get(unit, 0.0))
        for lane_id in lanes.get(unit, []):
            if session.is_lane(lane_id):
                session = chain_edits.with_equaliser(session, lane_id, station)
    return session


def changed(proposal: Proposal) -> Proposal:
    """With bands left out what is expected has to be found anew."""
    same = proposal.parameters.get(MEASURED) == " ".join(left_out(proposal))
    return proposal if same else replace(proposal, expected=None)
