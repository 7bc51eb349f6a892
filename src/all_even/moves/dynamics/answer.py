"""What Dynamics answers where it proposes nothing."""

from all_even import texts
from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import outline
from all_even.measure.dynamics.units import FEWEST
from all_even.moves.answer import Answer, cant_judge, nothing_needed, unknown
from all_even.moves.dynamics.trying import lanes


def answer(look: Look) -> Answer:
    played = [*lanes(look, struck=False), *lanes(look, struck=True)]
    outlines = [found for lane in played if (found := outline(look, lane.id)) is not None]
    enough = [found for found in outlines if len(found.units) >= FEWEST]
    if not enough:
        return unknown(look) or cant_judge("no track has enough notes, words or hits to tell by")
    least = look.session.settings.uneven_over_db
    uneven = sum((found.units.spread_db or 0.0) >= least for found in enough)
    rest = len(played) - len(enough)
    short = f"; {texts.count(rest, 'track')} too short to tell" if rest else ""
    others = f"; of {uneven} that lie further apart, no compressor helps without side effects" if uneven else ""
    return nothing_needed(
        f"{len(enough) - uneven} of {texts.count(len(enough), 'track')} lie within {number(least)} dB, loud to "
        f"soft{others}{short}"
    )
