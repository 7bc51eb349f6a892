"""What moves in each strip: its units before and behind its dynamics, and the side effects these have.

*Now* is the strip without what listens to another track or follows its hits: a duck is no unevenness of the player, and
a compressor belongs before it (`place_of`). *Before* is that without the stations that answer to its own level. Gains
are those the stations applied, worked out once more on what comes into each.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.ducking.shaped import follows_another
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Processor
from all_even.figures.arriving.contribution import Samples, applied
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import main_kick
from all_even.figures.sources.units import units
from all_even.measure.dynamics.movement import Movement, Part, movement, part_of, unmoved
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.session.editing import chain_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song.hits import is_struck, lane_hits_s

DYNAMICS = (Compressor, BandCompressor, Limiter, Gate, TransientShaper)
Array = NDArray[np.float64]
Chain = tuple[Processor, ...]


def is_dynamic(station: Processor) -> bool:
    """Whether a station answers to the level of what goes through it."""
    return isinstance(station, DYNAMICS) and not follows_another(station)


def working(chain: Chain) -> Chain:
    """The stations of a chain that move its level."""
    return tuple(station for station in chain if is_dynamic(station) and not station.bypass)


def own_session(session: Session, strip_id: str) -> Session:
    """The session in which one strip follows nobody else."""
    return _with(session, strip_id, [item for item in session.chain(strip_id) if not follows_another(item)])


def unmoved_session(session: Session, strip_id: str) -> Session:
    """The session without the dynamics of one strip; what follows another stays."""
    chain = session.chain(strip_id)
    return _with(session, strip_id, [station for station in chain if station not in working(chain)])


def place_of(session: Session, strip_id: str) -> int:
    """Where in its chain a station belongs that answers to its level: before what follows another, else last."""
    chain = session.chain(strip_id)
    return next((index for index, station in enumerate(chain) if follows_another(station)), len(chain))


def with_station(session: Session, strip_id: str, station: Processor) -> Session:
    """The session with a station that answers to a strip's level, where such a one belongs."""
    return chain_edits.add_station(session, strip_id, station, place_of(session, strip_id))


def _with(session: Session, strip_id: str, kept: Sequence[Processor]) -> Session:
    return session if len(kept) == len(session.chain(strip_id)) else chain_edits.set_chain(session, strip_id, kept)


def _before(session: Session, strip_id: str) -> Session:
    return unmoved_session(own_session(session, strip_id), strip_id)


def outline(look: Look, strip_id: str) -> Part | None:
    """What is known of a strip before its dynamics, without its samples; None where nothing of it is heard."""
    found = look.get(PART, strip_id)
    return found if isinstance(found, Part) else None


def part(look: Look, strip_id: str) -> Part | None:
    """The same with its samples, which nobody keeps: long songs have many lanes."""
    found = outline(look, strip_id)
    if found is None:
        return None
    samples = strip_samples(look, _before(look.session, strip_id), strip_id)
    return replace(found, signal=replace(found.signal, samples=samples))


def moving(look: Look, strip_id: str) -> Movement | None:
    """What moves in a strip; None where nothing of it is heard."""
    found = look.get(MOVEMENT, strip_id)
    return found if isinstance(found, Movement) else None


def strip_samples(look: Look, session: Session, strip_id: str) -> Samples:
    """(frames, channels) of a strip behind its chain, on the song's time line."""
    sound = look.at(session).sound(strip_id)
    return np.array(sound.read(0, sound.frames))


def strip_signal(look: Look, session: Session, strip_id: str) -> Signal:
    """The same with its levels."""
    return signal_of(strip_samples(look, session, strip_id), session.sample_rate)


def now_signal(look: Look, strip_id: str) -> Signal:
    """A strip behind its own dynamics, following nobody."""
    return strip_signal(look, own_session(look.session, strip_id), strip_id)


def only_source(look: Look, strip_id: str) -> Lane | None:
    """The main microphone of what a strip carries; None where it carries several sources."""
    if look.session.is_lane(strip_id):
        return look.session.lane(strip_id)
    members = {strip.id for strip in look.session.strips if strip.destination == strip_id}
    unit = next((unit for unit in units(look) if members == {lane.id for lane in unit.lanes}), None)
    return unit.head if unit is not None else None


def hits_of(look: Look, strip_id: str) -> tuple[float, ...]:
    """Hits that a strip is judged by: its own where it is struck, the kick's where it is a sum of several sources."""
    lane = only_source(look, strip_id)
    if lane is not None:
        report = look.reports.get(lane.id)
        if not is_struck(lane.role) or report is None or report.character is None:
            return ()
        return tuple(lane_hits_s(lane, report.character))
    main = main_kick(look)
    return tuple(lane_hits_s(*main)) if main is not None else ()


def _hears(look: Look, target: str) -> object:
    """What hits rest on."""
    lanes: tuple[Lane, ...] = look.session.lanes
    if look.session.is_lane(target):
        lanes = (look.session.lane(target),)
    return [(lane.id, lane.role, lane.hits, lane.start_s, lane.mute, lane.id in look.reports) for lane in lanes]


def _part_rests_on(look: Look, _prints: Fingerprints, target: str) -> str:
    plain = look.book.fingerprints(_before(look.session, target))
    return digest((plain.strips.get(target), _hears(look, target)))


def _part(look: Look, target: str) -> Part | str:
    plain = _before(look.session, target)
    if look.book.fingerprints(plain).strips.get(target) is None:
        return "not heard"
    signal = strip_signal(look, plain, target)
    if signal.lufs is None:
        return "silent"
    found = part_of(signal, hits_of(look, target), is_sum=only_source(look, target) is None)
    return replace(found, signal=replace(signal, samples=signal.samples[:0].copy()))


PART = Figure("part before its dynamics", 1, "strip", _part_rests_on, _part)


def _movement_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    matched = [station.matched_db for station in look.session.chain(target)]
    own = look.book.fingerprints(own_session(look.session, target))
    return digest((own.strips.get(target), _part_rests_on(look, prints, target), matched))


def _movement(look: Look, target: str) -> Movement | str:
    if not working(look.session.chain(target)):
        still = outline(look, target)
        return "not heard" if still is None else unmoved(still)
    before = part(look, target)
    if before is None:
        return "not heard"
    now = now_signal(look, target)
    matched = sum(station.matched_db for station in working(look.session.chain(target)))
    return movement(before, now, gain_db(look, target, len(now.samples)), matched_lu=matched)


def gain_db(look: Look, strip_id: str, frames: int) -> Array:
    """(frames,) what all dynamics of a strip apply together, dB, on the song's time line."""
    session, total = own_session(look.session, strip_id), np.zeros(frames)
    chain = session.chain(strip_id)
    for at, station in enumerate(chain):
        if is_dynamic(station) and not station.bypass:
            up_to = chain_edits.set_chain(session, strip_id, chain[:at])
            applied_db = applied(station, session.sample_rate, strip_samples(look, up_to, strip_id))
            count = min(frames, len(applied_db))
            total[:count] += applied_db[:count]
    return total


MOVEMENT = Figure("movement of a strip", 1, "strip", _movement_rests_on, _movement)
