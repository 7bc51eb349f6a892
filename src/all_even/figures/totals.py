"""The whole mix in four figures: what a stage won, or lost, beside what each of its moves promised."""

from dataclasses import dataclass

from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.figures.sharing.sharing import sharing


@dataclass(frozen=True, slots=True)
class Totals:
    """masked: of all that matters, 0 to 1. kick_audible: beside the bass, 0 to 1. true_peak_dbtp; plr_db: that peak
    over the integrated loudness. None where it can't be known."""

    masked: float | None
    kick_audible: float | None
    true_peak_dbtp: float | None
    plr_db: float | None


def totals(look: Look) -> Totals:
    shared, said, mix = sharing(look), verdict(look), look.mix
    peak = mix.true_peak_dbtp if mix is not None else None
    loud = mix.integrated_lufs if mix is not None else None
    return Totals(
        None if shared is None else shared.mean,
        None if said is None else said.kick_audible,
        peak,
        None if peak is None or loud is None else peak - loud,
    )
