"""Even notes: what lies under 100 Hz of a bass is compressed, so that every note speaks alike.

The threshold is the highest that reaches half of the spread, or 2 dB: the spread does not fall steadily with it, and
more compression is no better. One gain afterwards gives back the energy that was taken. Refused where the gain would
move with the wave itself (ripple), as with very low lines.
"""

import numpy as np

from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import number
from all_even.dsp.processor import Single, numbers
from all_even.figures.book.look import Look
from all_even.measure.pitch.evenness import BELOW_HZ
from all_even.measure.pitch.pitch import named
from all_even.measure.sharing.duck import RIPPLE_CLEAN_DB, ripple_db
from all_even.measure.sharing.focus import RATE
from all_even.measure.sharing.low_pair import energy_db
from all_even.moves.kind import Kind, measured_later
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bass.notes_of_bass import SPREAD, BassLine, lines
from all_even.moves.low_end.bottom import with_stations
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

UNEVEN_DB, AIM_DB, AIM_SHARE = 4.0, 2.0, 0.5
RATIO, ATTACK_MS, RELEASE_MS, RMS_MS = 4.0, 10.0, 100.0, 10.0
SCANNED = 13
UNDER_LOW_DB = 6.0
"""The scan ends this much under the softest notes."""
THRESHOLD = numbers(Compressor)["threshold_db"]
BAND_HZ = (25.0, BELOW_HZ)


def station(threshold_db: float, makeup_db: float) -> BandCompressor:
    low = Compressor(
        threshold_db=threshold_db, ratio=RATIO, knee_db=0.0, attack_ms=ATTACK_MS, release_ms=RELEASE_MS, level="RMS",
        rms_ms=RMS_MS, makeup_db=makeup_db,
    )  # fmt: skip
    return BandCompressor(crossovers_hz=(BELOW_HZ,), bands=(low, Compressor(bypass=True)))


def tried(found: BassLine, threshold_db: float) -> tuple[BassLine, BandCompressor, float | None]:
    """The line behind the compressor, with the gain that gives its energy back; and how much its gain ripples."""
    plain = station(threshold_db, 0.0)
    gain_db = np.zeros(len(found.low))
    sound = Single(plain, RATE)(found.low[:, np.newaxis], None, gain_db)[:, 0]
    makeup_db = float(np.clip(energy_db(found.low, BAND_HZ) - energy_db(sound, BAND_HZ), 0.0, 12.0))
    final = station(threshold_db, round(makeup_db, 1))
    return found.with_sound(sound), final, ripple_db(found.low, gain_db, RATE)


def propose(look: Look) -> list[Proposal]:
    session = look.session
    for found in lines(look)[:1]:
        lane = session.lane(found.lane_id)
        if found.spread_db < UNEVEN_DB or any(isinstance(item, BandCompressor) for item in lane.chain):
            continue
        aim = max(AIM_DB, AIM_SHARE * found.spread_db)
        top, low = np.percentile(found.levels_db, 90), np.percentile(found.levels_db, 10) - UNDER_LOW_DB
        for threshold_db in np.linspace(top, low, SCANNED):
            after, final, ripple = tried(found, float(threshold_db))
            if ripple is not None and ripple > RIPPLE_CLEAN_DB:
                continue
            if after.spread_db <= aim:
                return [_proposal(look, found, after, final, ripple)]
    return []


def _proposal(look: Look, found: BassLine, after: BassLine, final: BandCompressor, ripple: float | None) -> Proposal:
    name = look.session.strip_name(found.lane_id)
    middle = float(np.median(found.levels_db))
    pitches = {midi: float(np.median(x)) - middle for midi, x in found.by_pitch.items()}
    loud = [named_midi(midi) for midi, db in sorted(pitches.items(), key=lambda item: -item[1])[:2] if db > 1.5]
    standing = f" {' and '.join(loud)} stand out most." if loud else ""
    band = final.bands[0]
    return KIND.move(
        targets=(found.lane_id,), of=found.lane_id, title=f"Even out the low notes of {name}",
        reason=f"Its {len(found.notes)} notes under 85 Hz differ by {number(found.spread_db)} dB under 100 "
        f"Hz.{standing} What "
        f"lies there is compressed 4:1 from {number(band.threshold_db)} dB on, the highest threshold that reaches the "
        f"aim, and {number(band.makeup_db)} dB are given back. It costs some loudness at equal peak.",
        parameters={"threshold_db": band.threshold_db, "makeup_db": band.makeup_db},
        evidence={"notes": len(found.notes), "ripple_db": ripple, "pitch_range_db": found.pitch_range_db,
                  "within_a_pitch_db": found.within_db},
        metric=SPREAD, arguments={"lane": found.lane_id}, before=found.spread_db, expected=after.spread_db,
        weight=4.0,
    )  # fmt: skip


def named_midi(midi: int) -> str:
    from all_even.measure.pitch.pitch import hertz

    return named(hertz(midi)).name


def edit(session: Session, proposal: Proposal) -> Session:
    p = proposal.parameters
    final = station(float(p["threshold_db"]), float(p["makeup_db"]))  # type: ignore[arg-type]
    return with_stations(session, dict.fromkeys(proposal.targets, (final,)))


KIND = Kind(
    "low-end.even-notes", bottom.DEPENDS_ON, propose, edit, optional=True,
    parameters={"threshold_db": THRESHOLD}, changed=measured_later,
)  # fmt: skip
