"""One trim at the head of the mix bus, where the mix peaks outside the window. The balance stays as it is."""

from msgspec.structs import replace

from all_even.dsp.parameter import TRIM, number
from all_even.figures.book.look import Look
from all_even.moves.kind import Kind, value_of
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX


def propose(look: Look) -> list[Proposal]:
    mix, session = look.mix, look.session
    if mix is None or mix.sample_peak_dbfs is None:
        return []
    peak = mix.sample_peak_dbfs
    aim, (low, high) = session.settings.mix_peak_dbfs, session.settings.peak_window_dbfs
    if low <= peak <= high:
        return []
    wanted = TRIM.clamped(session.mix.trim_db + aim - peak)
    proposal = KIND.move(
        targets=(MIX,),
        title="",
        reason=f"The mix peaks at {number(peak)} dBFS; it should stay between {number(low)} and "
        f"{number(high)}. One trim keeps the balance as it is.",
        parameters={"trim_db": wanted},
        evidence={"mix_sample_peak_dbfs": round(peak, 2), "trim_db": session.mix.trim_db},
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
    return edits.set_trim(session, value_of(proposal, "trim_db"))


def peak_dbfs(look: Look) -> float | None:
    return look.mix.sample_peak_dbfs if look.mix is not None else None


KIND = Kind("balance.trim", ("mix", "settings"), propose, edit, parameters={"trim_db": TRIM}, changed=changed)
METRIC = Metric("mix-peak", "sample peak of the mix", "dBFS", 1, 0.1, ("mix",), lambda look, _: peak_dbfs(look))
