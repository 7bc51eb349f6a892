"""The bass at 100 to 200 Hz: a school. Thin it as puffy, lift it as its home, or leave it alone.

Thinning looks good and gives less than the fader (net -0.3 dB in the middle of what was tried), lifting gives 0.4 where
it is not in the kick's way. Only the school that was chosen in the settings is proposed, with its honest net.
"""

from all_even.dsp.parameter import signed
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import pair
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import ROOM, beside_a_fader, evidence, on_each, with_stations
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

PLACE_HZ, Q = 145.0, 0.7
GAINS_DB = {"thin": -3.0, "lift": 3.0}


def station(gain_db: float) -> Equaliser:
    return Equaliser(bands=(Band(frequency_hz=PLACE_HZ, gain_db=gain_db, q=Q),))


def propose(look: Look) -> list[Proposal]:
    school = look.session.settings.bass_home
    found, now = copies(look), pair(look)
    if school not in GAINS_DB or found is None or now is None or now.room_db is None:
        return []
    if any(_is_touched(station) for lane_id in found.basses for station in look.session.lane(lane_id).chain):
        return []
    gain_db = GAINS_DB[school]
    after = found.tried(on_each(found.basses, station(gain_db)))
    net = found.net_db(after)
    if net is None:
        return []
    warning = "" if net > 0.0 else " It takes more from the bass than it gives the kick: a taste, no clearing."
    return [
        Proposal(
            id=KIND.id,
            kind=KIND.id,
            stage="low-end",
            targets=found.basses,
            title=f"Bass {signed(gain_db, 0)} dB around {PLACE_HZ:.0f} Hz: the school that you chose",
            reason=f"{beside_a_fader(found.before, after)}{warning}",
            parameters={"gain_db": gain_db},
            evidence=evidence(look, after, found.before),
            metric=ROOM.id,
            before=now.room_db,
            expected=now.room_db + net,
            tolerance=bottom.tolerance_db(net, bottom.STATIC_TOLERANCE_DB),
            weight=3.2,
        )
    ]


def _is_touched(item: object) -> bool:
    return isinstance(item, Equaliser) and any(
        band.on and band.gain_db != 0.0 and 100.0 <= band.frequency_hz <= 200.0 for band in item.bands
    )


def edit(session: Session, proposal: Proposal) -> Session:
    gain_db = float(proposal.parameters["gain_db"])  # type: ignore[arg-type]
    return with_stations(session, on_each(proposal.targets, station(gain_db)))


KIND = Kind("low-end.bass-home", bottom.GROUNDS, propose, edit, optional=True)
