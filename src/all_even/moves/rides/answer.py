"""What Rides answers where it proposes nothing."""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.rides import rides
from all_even.moves.answer import Answer, cant_judge, missing, nothing_needed
from all_even.moves.rides.figures import is_lead, leads


def answer(look: Look) -> Answer:
    if not any(is_lead(unit.head) for unit in rides.levels(look).units):
        return missing(look, "the lead", "No track leads: there is no line to ride")
    found = leads(look)
    if not found:
        return cant_judge("the lead has too few words or phrases to have a usual level")
    lane, line = found[0]
    spread = "" if line.spread_db is None else f", loud to soft {number(line.spread_db)} dB"
    usual = number(line.usual_db or 0.0)
    return nothing_needed(f"{lane.name}: {len(line)} words or phrases, usually {usual} dB over their backing{spread}")
