"""One trim at the head of the mix bus, where the mix peaks outside the window. The balance stays as it is.

Where a limiter holds the mix, its ceiling is what has to lie in the window: a trim before it would only make it hold
more. Then its ceiling and the gain before it move together, so that it holds what it held.
"""

from msgspec.structs import replace

from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import TRIM, number
from all_even.figures.book.look import Look
from all_even.moves.kind import Kind, value_of
from all_even.moves.metric import Metric
from all_even.session.editing import chain_edits, edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

HELD_WITHIN_DB = 1.0
"""A mix whose true peak is as close to the ceiling of the limiter behind it is held by that."""


def propose(look: Look) -> list[Proposal]:
    mix, session = look.mix, look.session
    if mix is None or mix.sample_peak_dbfs is None or mix.true_peak_dbtp is None:
        return []
    peak, holder = mix.sample_peak_dbfs, _limiter(session)
    held = holder is not None and mix.true_peak_dbtp > holder.ceiling_db - HELD_WITHIN_DB
    aim, (low, high) = session.settings.mix_peak_dbfs, session.settings.peak_window_dbfs
    if low <= peak <= high or (held and holder is not None and low <= holder.ceiling_db <= high):
        return []
    wanted = TRIM.clamped(session.mix.trim_db + aim - peak)
    proposal = KIND.move(
        targets=(MIX,),
        title="",
        reason=f"The mix peaks at {number(peak)} dBFS; it should stay between {number(low)} and "
        f"{number(high)}. One trim keeps the balance as it is.{' Its limiter moves along.' if held else ''}",
        parameters={"trim_db": wanted},
        evidence={"mix_sample_peak_dbfs": round(peak, 2), "trim_db": session.mix.trim_db, "held": int(held)},
        metric=METRIC,
        before=peak,
        weight=8.0 if peak > high else 2.0,
    )
    return [changed(proposal)]


def changed(proposal: Proposal) -> Proposal:
    """A trim moves the peak by as much, as long as no chain on the mix bus answers to level."""
    change = value_of(proposal, "trim_db") - float(proposal.evidence["trim_db"] or 0.0)
    assert proposal.before is not None
    return replace(proposal, title=f"Trim the mix by {number(change)} dB", expected=proposal.before + change)


def edit(session: Session, proposal: Proposal) -> Session:
    wanted, holder = value_of(proposal, "trim_db"), _limiter(session)
    if not proposal.evidence.get("held") or holder is None:
        return edits.set_trim(session, wanted)
    by_db = wanted - session.mix.trim_db
    return chain_edits.change_station(
        session, MIX, holder.id, ceiling_db=holder.ceiling_db + by_db, input_db=holder.input_db + by_db
    )


def _limiter(session: Session) -> Limiter | None:
    """The limiter that is last on the mix bus and works."""
    working = [station for station in session.mix.chain if not station.bypass]
    return working[-1] if working and isinstance(working[-1], Limiter) else None


def peak_dbfs(look: Look) -> float | None:
    return look.mix.sample_peak_dbfs if look.mix is not None else None


KIND = Kind(
    "balance.trim", ("mix", "settings"), propose, edit, parameters={"trim_db": TRIM}, changed=changed, afterwards=True
)
METRIC = Metric("mix-peak", "sample peak of the mix", "dBFS", 1, 0.1, ("mix",), lambda look, _: peak_dbfs(look))
