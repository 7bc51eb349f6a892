"""What each return adds to the mix: how far it is covered by the dry sound, what it hides of the lead, its low end; and
whether the snare's room has ended when the next kick comes.

*Covered*: the masked share (`measure.sharing.masking`) of what the return brings to the mix, against all dry sounds,
also those it is made of. At 0.97 it is just missed when it is muted (tried; nobody has listened): less, and it is heard
by itself. Returns are judged one by one against what is dry.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.ducking.shaped import coefficients_with
from all_even.dsp.processor import Processor, Single
from all_even.engine import responses
from all_even.figures.arriving import spectra
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import main_kick
from all_even.figures.sources.units import Table, table
from all_even.figures.space.space_response import response_rests_on, steady
from all_even.measure.sharing import masking
from all_even.measure.sharing.masking import Excitation
from all_even.measure.space import ending
from all_even.session.model import routing, space
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus, Lane
from all_even.session.song.hits import lane_hits_s
from all_even.session.tracks.importance import weight_of

Array = NDArray[np.float64]
JUST_MISSED = 0.97
LOW_HZ = 250.0
LOWEST_DB, HIGHEST_DB = -60.0, 40.0
FEWEST_HITS = 4
NEAR = 0.1
"""Distances from snare to kick within this share of each other are alike."""
LEAD_S = 1.0
BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class ReturnFigures:
    """covered: 0 to 1; moves_to_db: what would bring it to 0.97. lead_hidden: how much more of the leads it hides, 0
    to 1; low_added_db: energy under 250 Hz. None where it can't be known: silence, no lead."""

    covered: float | None
    moves_to_db: float | None
    lead_hidden: float | None
    low_added_db: float | None


NOTHING = ReturnFigures(None, None, None, None)


def dry(session: Session) -> Session:
    """The session without its returns."""
    rooms = {bus.id for bus in space.returns(session)}
    if not rooms:
        return session
    buses = tuple(replace(bus, mute=True) if bus.id in rooms else bus for bus in session.buses)
    return replace(session, buses=buses)


def figures_of(look: Look, bus_id: str) -> ReturnFigures:
    """Of a return as it is."""
    return look.get(RETURN, bus_id)


def arriving(look: Look, bus_id: str) -> Excitation | None:
    """What a return brings to the mix; None in silence."""
    power = spectra.powers_of(look, bus_id)
    if power is None or not power.any():
        return None
    return masking.excitation_of_power(power, look.session.sample_rate)


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    session = look.session
    bus = session.bus(target)
    own = prints.feed(routing.Edge(target, bus.destination, "destination"))
    lanes = [(lane.id, lane.role, lane.importance) for lane in session.lanes]
    return digest((own, bus.mute, look.book.fingerprints(dry(session)).mix, lanes))


def _compute(look: Look, target: str) -> ReturnFigures:
    sound = arriving(look, target)
    if sound is None:
        return NOTHING
    plain = look.at(dry(look.session))
    shares = table(plain)
    if not shares.tracks:
        return NOTHING
    total = _total(shares, len(sound.spread))
    return ReturnFigures(
        covered(sound, total, shares.floor), _moves_to_db(sound, total, shares.floor),
        _lead_hidden(plain.session, shares, total, sound), _low_added_db(plain, sound),
    )  # fmt: skip


RETURN = Figure("a return in the mix", 1, "bus", _rests_on, _compute)


def _total(shares: Table, frames: int) -> Array:
    """(frames, bands) of all dry tracks."""
    total = np.zeros((frames, len(masking.centres_hz())))
    for track in shares.tracks.values():
        count = min(frames, len(track.spread))
        total[:count] += track.spread[:count]
    return total


def covered(sound: Excitation, total: Array, floor: float, by_db: float = 0.0) -> float | None:
    """How much of a return is covered by the dry sound, with its fader moved."""
    factor = np.float32(10.0 ** (by_db / 10.0))
    spread = sound.spread * factor
    return masking.weighted_share(spread, total[: len(spread)] + spread, sound.weight, floor)


def _moves_to_db(sound: Excitation, total: Array, floor: float, aim: float = JUST_MISSED) -> float | None:
    """By how much a return's fader has to move to be covered so far. Louder is covered less."""
    low, high = LOWEST_DB, HIGHEST_DB
    at_low, at_high = covered(sound, total, floor, low), covered(sound, total, floor, high)
    if at_low is None or at_high is None or not at_high < aim < at_low:
        return None
    for _ in range(24):
        middle = 0.5 * (low + high)
        if (covered(sound, total, floor, middle) or 0.0) > aim:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def placing_db(look: Look, bus_id: str, aim: float = JUST_MISSED) -> float | None:
    """By how much a return has to be moved to be covered so far, dB; None where it can't be."""
    sound, shares = arriving(look, bus_id), table(look.at(dry(look.session)))
    if sound is None or not shares.tracks:
        return None
    return _moves_to_db(sound, _total(shares, len(sound.spread)), shares.floor, aim)


def _lead_hidden(session: Session, shares: Table, total: Array, sound: Excitation) -> float | None:
    """How much more of the leads' weight a return covers."""
    leads = {lane.id for lane in session.lanes if weight_of(lane) == "lead"}
    before = after = whole = 0.0
    for unit in shares.units:
        track = shares.tracks.get(unit.id)
        if track is None or not any(lane.id in leads for lane in unit.lanes):
            continue
        count = min(len(total), len(track.spread))
        dry_part, wet = total[:count], total[:count] + sound.spread[:count]
        masked, weight = masking.covered_by_band(track.spread[:count], dry_part, track.weight[:count], shares.floor)
        masked_now, _ = masking.covered_by_band(track.spread[:count], wet, track.weight[:count], shares.floor)
        before, after, whole = before + masked.sum(), after + masked_now.sum(), whole + weight.sum()
    return float((after - before) / whole) if whole > 0.0 else None


def _low_added_db(plain: Look, sound: Excitation) -> float | None:
    """Energy under 250 Hz with the return, against the dry mix before its chain. plain: the dry session."""
    plain.hear(("entering powers", MIX))
    dry_powers = plain.book.known(plain.session, ("entering powers", MIX))
    if dry_powers is None:
        return None
    low = masking.centres_hz() < LOW_HZ
    trim = 10.0 ** (plain.session.mix.trim_db / 10.0)
    before = float(dry_powers.mean(axis=0)[:, low].sum(dtype=np.float64))
    added = float(sound.power[:, low].sum(dtype=np.float64)) * trim
    return float(10.0 * np.log10(1.0 + added / before)) if before > 0.0 else None


# The snare and the next kick.

AT_ONCE_S, PEAK_MS, BLEED_DB = 0.05, 40, 9.0
"""A hit that comes with a kick is a kick's bleed where its peak lies this far under those of the snare's own hits."""
BACKBEAT_S, BACKBEAT_WITHIN, BACKBEAT_SHARE = (0.6, 1.7), 0.15, 0.6
"""Two beats at 200 to 70 BPM; so many of the distances lie within this share of the usual one."""


@dataclass(frozen=True, slots=True, eq=False)
class Wall:
    """The snare's hits and the kicks after them. until_s: from each hit to the next kick; typical_s: a quarter of them
    have less."""

    lane_id: str
    hits_s: Array
    until_s: Array

    @property
    def typical_s(self) -> float:
        return float(np.percentile(self.until_s, 25))


def snare_of(look: Look) -> Lane | None:
    """The first snare that is heard and has hits; where there is none, claps that play its part."""
    heard = [lane for lane in look.session.lanes if routing.is_sounding(look.session, lane)]
    for role in ("snare top", "snare", "snare bottom", "clap"):
        for lane in heard:
            report = look.reports.get(lane.id)
            if lane.role == role and report is not None and report.character is not None:
                hits = lane_hits_s(lane, report.character)
                if len(hits) >= FEWEST_HITS and (role != "clap" or _is_backbeat(hits)):
                    return lane
    return None


def _is_backbeat(hits_s: Sequence[float]) -> bool:
    """Whether hits come as evenly, and as far apart, as those on every other beat."""
    apart = np.diff(hits_s)
    usual = float(np.median(apart))
    even = float(np.mean(np.abs(apart - usual) <= BACKBEAT_WITHIN * usual))
    return BACKBEAT_S[0] <= usual <= BACKBEAT_S[1] and even >= BACKBEAT_SHARE


def _own_hits(look: Look, lane: Lane, hits_s: Array, kicks_s: Array) -> Array:
    """The hits of a snare without those that are only a kick in its microphone: what comes together with one counts
    where it is as loud as a hit of the snare's."""
    report = look.reports[lane.id]
    together = np.abs(kicks_s[np.newaxis, :] - hits_s[:, np.newaxis]).min(axis=1, initial=np.inf) <= AT_ONCE_S
    if report.envelope is None or not together.any():
        return hits_s[~together]
    at = np.round((hits_s - lane.start_s) * 1000.0).astype(int)
    peaks = np.array([float(report.envelope[max(0, i) : max(0, i) + PEAK_MS].max(initial=0.0)) for i in at])
    loud = peaks >= np.percentile(peaks, 90) * 10.0 ** (-BLEED_DB / 20.0)
    return hits_s[~together | loud]


def wall(look: Look) -> Wall | None:
    """None where there is no snare, no kick, or too few of them."""
    snare, kick = snare_of(look), main_kick(look)
    if snare is None or kick is None:
        return None
    report = look.reports[snare.id]
    assert report.character is not None
    hits, kicks = np.array(lane_hits_s(snare, report.character)), lane_hits_s(*kick)
    apart = _own_hits(look, snare, hits, np.array(kicks))
    found = [(float(hit), float(until[0])) for hit in apart if len(until := ending.distances_s([hit], kicks))]
    if len(found) < FEWEST_HITS:
        return None
    hits_s, until_s = np.array(found).T
    return Wall(snare.id, hits_s, until_s)


def drop_db(
    look: Look, bus_id: str, chain: Sequence[Processor] | None = None, *, longest_s: float = math.inf
) -> float | None:
    """By how much the snare's room has fallen under the next kick, dB: measured on the snare alone through the chain of
    a return, median over hits after which the kick comes about as soon as after a quarter of them.

    chain: another one. longest_s: only in the stretch of the song that has most of these hits. None without snare or
    kick.
    """
    found = wall(look)
    if found is None:
        return None
    session, rate = look.session, look.session.sample_rate
    used = steady(session.chain(bus_id)) if chain is None else list(chain)
    sound = look.sound(found.lane_id)
    soon = np.abs(found.until_s - found.typical_s) <= NEAR * found.typical_s
    hits, until = found.hits_s[soon], found.until_s[soon]
    first_s = 0.0
    if math.isfinite(longest_s):
        inside = [int(((hits >= hit) & (hits + until < hit + longest_s)).sum()) for hit in hits]
        first_s = max(0.0, float(hits[int(np.argmax(inside))]) - LEAD_S)
        kept = (hits >= first_s) & (hits + until < first_s + LEAD_S + longest_s)
        hits, until = hits[kept] - first_s, until[kept]
    start = round(first_s * rate)
    frames = int(min(float(sound.frames - start), (longest_s + 2.0 * LEAD_S) * rate))
    samples = sound.read(start, frames).astype(np.float64)
    samples = np.repeat(samples, 2, axis=1) if samples.shape[1] == 1 else samples
    drops = ending.drops_db(through(session, used, samples, look), rate, hits.tolist(), until)
    known = drops[np.isfinite(drops)]
    return float(np.median(known)) if len(known) else None


def drop_at_kick_db(look: Look, bus_id: str) -> float | None:
    """The same of a return as it is, over the whole song; known again while chain, snare and kick stay."""
    found = look.get(DROP, bus_id)
    return found if isinstance(found, float) else None


def _drop_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    found = wall(look)
    if found is None:
        return digest((response_rests_on(look, target),))
    snare = (prints.strips.get(found.lane_id), found.hits_s.tobytes(), found.until_s.tobytes())
    return digest((response_rests_on(look, target), snare))


DROP = Figure("drop at the kick", 1, "bus", _drop_rests_on, lambda look, target: drop_db(look, target) or "none")


def through(session: Session, chain: Sequence[Processor], samples: Array, look: Look | None = None) -> Array:
    """(frames, 2) behind a chain, block by block, latency taken back."""
    rate, linked, own = session.sample_rate, responses.linked(session), False
    for item in chain:
        run = Single(item, rate, coefficients=coefficients_with(item, linked, rate))
        late, frames = item.latency_frames(rate), len(samples)
        out = samples if own and not late else np.empty((frames + late, 2))
        for at in range(0, frames, BLOCK_FRAMES):
            if look is not None:
                look.stop_if_cancelled()
            out[at : min(frames, at + BLOCK_FRAMES)] = run(samples[at : at + BLOCK_FRAMES])
        if late:
            out[frames:] = run(np.zeros((late, samples.shape[1])))
        samples, own = out[late:], True
    return samples


def senders(session: Session, bus: Bus) -> list[Lane]:
    """The lanes that send to a return."""
    return [lane for lane in session.lanes if space.send_to(lane, bus.id) is not None]
