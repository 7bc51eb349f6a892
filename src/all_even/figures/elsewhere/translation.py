"""What is left of every source of a session on each other system (`systems`), and what vanishes.

Sources are taken as they arrive in the mix, dry; returns that make a room mask as they do here and have no figure of
their own. The mix bus' own chain is left aside: it changes all of them together.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from all_even.engine.feeds import edge_gains
from all_even.figures.arriving import spectra
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.systems import SYSTEMS, System
from all_even.figures.sources.units import Unit, units
from all_even.measure.sharing import hearing, masking
from all_even.measure.sharing import translation as measure
from all_even.measure.sharing.masking import BandPowerMeter
from all_even.measure.sharing.scene import band_gains, bins_hz
from all_even.measure.sharing.translation import Playback, Stage
from all_even.session.model import routing, space
from all_even.session.tracks.importance import importance

Array = NDArray[np.float64]
BLOCK = 1 << 16


@dataclass(frozen=True, slots=True, eq=False)
class Translation:
    """units: the sources; importance: 0 to 1. left: (sources, systems) the figure of `measure.sharing.translation`; NaN
    for one that is not heard. stage: what they are worked out from, to try a change."""

    units: tuple[Unit, ...]
    importance: tuple[float, ...]
    left: Array
    stage: Stage = field(repr=False)

    def place(self, lane_id: str) -> int | None:
        """Which source a lane belongs to."""
        return next((i for i, unit in enumerate(self.units) if any(lane.id == lane_id for lane in unit.lanes)), None)

    def of(self, lane_id: str, key: str) -> float | None:
        """What is left of a lane's source on a system; None where it is not known."""
        place = self.place(lane_id)
        return None if place is None or np.isnan(value := self.left[place, systems.KEYS.index(key)]) else float(value)

    def vanishing(self) -> tuple[tuple[int, str, float], ...]:
        """Sources that vanish and where: (source, system, what is left); what matters most and is lost most first."""
        found = [
            (place, key, float(self.left[place, column]))
            for place in range(len(self.units))
            for column, key in enumerate(systems.KEYS)
            if self.left[place, column] <= measure.VANISHES
        ]
        return tuple(sorted(found, key=lambda item: (-self.importance[item[0]], item[2])))

    def matched_db(self, key: str) -> float:
        """Gain with which the mix is as loud on a system as here (A-weighted loud moments), dB."""
        rate = self.stage.sample_rate
        here, there = (
            measure.loud_moments(self.stage, playback(systems.system(one), rate)) for one in (systems.REFERENCE, key)
        )
        return 10.0 * float(np.log10(here / there)) if here > 0.0 and there > 0.0 else 0.0

    def curves(self, place: int, key: str) -> tuple[Array, Array, Array]:
        """(here, there, response): mean power of a source in each band, A-weighted, dB, the mix as loud there as here;
        and the system's own gain, dB."""
        there = playback(systems.system(key), self.stage.sample_rate)
        playing = self.stage.playing[place]
        weighting = hearing.a_weighting(masking.centres_hz())

        def mean_db(powers: NDArray[np.float32], gains: Array) -> Array:
            mean = powers[place, playing].mean(axis=0, dtype=np.float64) * gains * weighting
            return np.asarray(10.0 * np.log10(np.maximum(mean, 1e-20)))

        flat, matched = np.ones(len(weighting)), 10.0 ** (self.matched_db(key) / 10.0)
        sounds = self.stage.middle if there.mono else self.stage.both
        response = 10.0 * np.log10(np.maximum(there.gains, 1e-12))
        return mean_db(self.stage.both, flat), mean_db(sounds, there.gains * matched), response

    def row(self, powers: NDArray[np.float32]) -> NDArray[np.float32]:
        """Powers of any length, (frames, bands), at the frames of the stage."""
        return self.stage.row(powers)

    def tried(self, place: int, both: NDArray[np.float32], middle: NDArray[np.float32], rate: int) -> Array:
        """(sources, systems) all figures where one source has other powers, (frames, bands)."""
        return _left(self.stage.changed(place, both, middle), len(self.units), rate)


def playback(system: System, sample_rate: int) -> Playback:
    """A system as gains of the ear's bands."""
    gains = band_gains(system.magnitude(bins_hz(sample_rate), sample_rate), sample_rate)
    return Playback(gains, system.mono, system.noise_db)


def translation(look: Look) -> Translation:
    """What is left of every source elsewhere."""
    return look.get(TRANSLATION)


def _key(look: Look, prints: Fingerprints, _target: str) -> str:
    lanes = [(lane.id, lane.name, lane.role, lane.hidden, lane.mute, lane.importance, lane.id in look.reports)
             for lane in look.session.lanes]  # fmt: skip
    return digest((prints.mix, lanes, look.session.settings))


def _compute(look: Look, _target: str) -> Translation:
    session = look.session
    both = spectra.arriving_powers(look)
    middle = spectra.arriving_middles(look)
    found = tuple(unit for unit in units(look) if any(lane.id in both for lane in unit.lanes))
    several = [lane.id for unit in found if len(unit.lanes) > 1 for lane in unit.lanes if lane.id in both]
    direct_both, direct_middle = (
        hear(look, lanes=several, without_sends=True) for hear in (spectra.arriving_powers, spectra.arriving_middles)
    )
    rows: list[NDArray[np.float32]] = []
    middles: list[NDArray[np.float32]] = []
    for unit in found:
        lanes = [lane.id for lane in unit.lanes if lane.id in both]
        ratios = look.get(TOGETHER, ":".join(lanes)) if len(lanes) > 1 else None
        for index, (sounds, direct, told) in enumerate(((both, direct_both, rows), (middle, direct_middle, middles))):
            row: NDArray[np.float32] = np.asarray(np.sum([sounds[lane] for lane in lanes], axis=0), dtype=np.float32)
            if ratios is not None:  # what comes back from sends is no microphone's
                own = np.sum([direct[lane] for lane in lanes if lane in direct], axis=0, dtype=np.float32)
                row = np.maximum(row + own * (ratios[index][: len(row)] - 1.0), 0.0)
            told.append(row)
    for bus in space.returns(session):
        look.stop_if_cancelled()
        power = spectra.powers_of(look, bus.id)
        if power is not None:
            rows.append(power)
            middles.append(power)
    look.stop_if_cancelled()
    stage = measure.stage_of(rows, middles, session.sample_rate)
    given = importance(session)
    left = _left(stage, len(found), session.sample_rate)
    return Translation(found, tuple(max(given[lane.id] for lane in unit.lanes) for unit in found), left, stage)


def _together(look: Look, target: str) -> NDArray[np.float32]:
    """(2, frames, bands): what microphones of one source really add up to, both sides and their mean, against the sum
    of their powers. At their faders and pans, as they stand still; groups are taken to do the same to the sum."""
    session, rate = look.session, look.session.sample_rate
    lanes = [session.lane(lane_id) for lane_id in target.split(":")]
    sounds = [look.sound(lane.id) for lane in lanes]
    gains = [edge_gains(session, lane, routing.Edge(lane.id, lane.destination, "destination"), sound.channels)
             for lane, sound in zip(lanes, sounds, strict=True)]  # fmt: skip
    sums = BandPowerMeter(rate, 3)
    each = [BandPowerMeter(rate, 3) for _ in lanes]
    frames = max(sound.frames for sound in sounds)
    for start in range(0, frames, BLOCK):
        look.stop_if_cancelled()
        count = min(BLOCK, frames - start)
        total = np.zeros((count, 3))
        for sound, gain, meter in zip(sounds, gains, each, strict=True):
            sides = sound.read(start, count).astype(np.float64) @ gain
            own = np.column_stack((sides, sides.mean(axis=1)))
            meter.add(own)
            total += own
        sums.add(total)
    together = sums.result()
    apart = np.sum([meter.result() for meter in each], axis=0)
    floor = max(float(apart.max(initial=0.0)) * 1e-9, 1e-20)
    pairs = ((together[:2].mean(axis=0), apart[:2].mean(axis=0)), (together[2], apart[2]))
    ratios = [np.where(alone > floor, whole / np.maximum(alone, floor), 1.0) for whole, alone in pairs]
    return np.stack(ratios).astype(np.float32)


def _together_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    session = look.session
    lanes = [session.lane(lane_id) for lane_id in target.split(":")]
    stands = [(lane.pan, lane.polarity_inverted, routing.level_db(session, lane)) for lane in lanes]
    return digest(([prints.strips.get(lane.id) for lane in lanes], stands, session.pan_law))


def _left(stage: Stage, count: int, rate: int) -> Array:
    reference = measure.heard(stage, playback(systems.system(systems.REFERENCE), rate), count)
    there = [measure.compared(reference, measure.heard(stage, playback(item, rate), count)) for item in SYSTEMS]
    return np.stack(there, axis=1) if there else np.zeros((count, 0))


def bands_hz() -> Array:
    """Middles of the bands of powers."""
    return masking.centres_hz()


TOGETHER = Figure("microphones of a source together", 1, "strip", _together_rests_on, _together)
TRANSLATION = Figure("translation to other systems", measure.VERSION, "session", _key, _compute)
