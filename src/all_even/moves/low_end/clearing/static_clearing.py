"""Static clearings: what the owner needs is cut from the other one, and the other one is lifted where the owner is not.

For stations that have to be simple; where the dynamic clearing was made there is seldom anything left. The kick's own
bells do nothing for its focus, ownership is their reason. A cut on the bass stays at a Q of 1 at most: a narrow one
takes out single notes. Common practice: 2 to 3 dB.
"""

from collections.abc import Sequence

from all_even.dsp.parameter import number, signed
from all_even.dsp.processor import Processor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import owner
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import ROOM, Bottom, beside_a_fader, evidence, on_each, weighs, with_stations
from all_even.moves.low_end.clearing import low_spectra
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

CUT_DB, LIFT_DB, PLAIN_CUT_DB = -2.5, 2.0, -4.0
Q = 1.0
LOW_HZ, HIGH_HZ = 38.0, 200.0
Bell = tuple[float, float]
"""Hz, dB."""


def equaliser(bells: Sequence[Bell]) -> Equaliser:
    return Equaliser(bands=tuple(Band(frequency_hz=hz, gain_db=db, q=Q) for hz, db in bells))


def trade(found: Bottom, side: str) -> dict[str, list[Bell]]:
    """Bells for kick and bass where `side` owns the bottom."""
    kick, bass = low_spectra.kick_spectrum(found.copies), low_spectra.bass_spectrum(found.copies)
    if side == "bass":
        home = low_spectra.peak_hz(bass, LOW_HZ, 100.0)
        second = [hz for hz in low_spectra.places(kick, bass, LOW_HZ, HIGH_HZ, 3) if abs(hz - home) > 0.25 * home][:1]
        return {"kick": [(home, CUT_DB), *((hz, LIFT_DB) for hz in second)], "bass": [(hz, CUT_DB) for hz in second]}
    home = low_spectra.peak_hz(kick, LOW_HZ, 110.0)
    second = [hz for hz in low_spectra.places(bass, kick, LOW_HZ, HIGH_HZ, 3) if abs(hz - home) > 0.25 * home][:1]
    return {"bass": [(home, CUT_DB), *((hz, LIFT_DB) for hz in second)], "kick": [(hz, CUT_DB) for hz in second]}


def stations(found: Bottom, bells: dict[str, list[Bell]]) -> dict[str, Sequence[Processor]]:
    added: dict[str, Sequence[Processor]] = {}
    for side, lanes in (("kick", found.kicks), ("bass", found.basses)):
        if bells.get(side):
            added |= on_each(lanes, equaliser(bells[side]))
    return added


def ways(found: Bottom, side: str | None) -> list[dict[str, list[Bell]]]:
    """The plainest, one cut on the bass; and, where somebody owns the bottom, the whole trade, and the same without
    what it takes from the kick."""
    place = low_spectra.peak_hz(low_spectra.kick_spectrum(found.copies), LOW_HZ, HIGH_HZ)
    plain: dict[str, list[Bell]] = {"kick": [], "bass": [(place, PLAIN_CUT_DB)]}
    if side is None:
        return [plain]
    whole = trade(found, side)
    spared = {"kick": [bell for bell in whole.get("kick", []) if bell[1] > 0.0], "bass": whole.get("bass", [])}
    return [plain, whole, spared]


def propose(look: Look) -> list[Proposal]:
    found, side = bottom.colliding(look), owner(look)
    if found is None:
        return []
    before = found.copies.before
    tried = [(bells, found.copies.tried(stations(found, bells))) for bells in ways(found, side)]
    good = [
        (net, bells, after)
        for bells, after in tried
        if (net := found.copies.net_db(after)) is not None and net >= bottom.WORTH_DB and weighs(before, after)
    ]
    if not good:
        return []
    net, bells, after = max(good, key=lambda item: item[0])
    words = "; ".join(
        f"{name} {', '.join(f'{signed(db, 1)} dB at {number(hz, 0)} Hz' for hz, db in part)}"
        for name, part in bells.items()
        if part
    )
    return [
        KIND.move(
            targets=(*found.kicks, *found.basses),
            title="One static cut on the bass"
            if len(bells["bass"]) == 1 and not bells["kick"]
            else f"Reciprocal EQ cuts: the {side} leads the low end",
            reason=f"{words[:1].upper()}{words[1:]}. {beside_a_fader(before, after)} The simple way, where a dynamic "
            "band is not wanted.",
            parameters={
                "kick_bells": {f"{hz:.1f}": db for hz, db in bells.get("kick", [])},
                "bass_bells": {f"{hz:.1f}": db for hz, db in bells.get("bass", [])},
                "kicks": found.kicks,
                "basses": found.basses,
            },
            evidence=evidence(look, after, before),
            metric=ROOM,
            before=found.room_db,
            expected=found.room_db + net,
            tolerance=bottom.tolerance_db(net, bottom.STATIC_TOLERANCE_DB),
            weight=5.4,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    p = proposal.parameters
    for side in ("kick", "bass"):
        bells, lanes = p.get(f"{side}_bells"), p.get(f"{'kicks' if side == 'kick' else 'basses'}")
        if isinstance(bells, dict) and bells and isinstance(lanes, tuple):
            station = equaliser([(float(hz), db) for hz, db in bells.items()])
            session = with_stations(session, on_each(lanes, station))
    return session


KIND = Kind("low-end.static-clearing", bottom.DEPENDS_ON, propose, edit, optional=True)
