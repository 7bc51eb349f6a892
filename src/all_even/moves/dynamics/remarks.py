"""What is to be said of dynamics before anything is moved, or after: side effects of what works already, what gains
nothing, and which equalisers are to be listened to again.
"""

from all_even import texts
from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.dynamics.coloured import coloured
from all_even.figures.dynamics.dynamics import moving, outline, working
from all_even.measure.dynamics.units import FEWEST
from all_even.moves.accounts import standing
from all_even.moves.dynamics import glue, soften
from all_even.moves.dynamics.effects import flags
from all_even.moves.dynamics.trying import lanes
from all_even.moves.share import figures, high_pass, low_pass
from all_even.session.model.remark import Remark
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX


def remarks(look: Look) -> tuple[Remark, ...]:
    """What may be a mistake first."""
    found = [*_side_effects(look), *_equalisers_again(look)]
    return (*found, *_colours(look), *_no_glue(look), *_even_already(look), *_no_sibilants(look))


def _side_effects(look: Look) -> list[Remark]:
    """Of everything that works on a level now, whoever set it."""
    told = []
    session = look.session
    crushed = {bus.id for bus in session.buses if bus.use == "parallel"}  # what is ugly alone on purpose
    for strip_id in (*(strip.id for strip in session.strips), MIX):
        if strip_id in crushed or not working(session.chain(strip_id)):
            continue
        found = moving(look, strip_id)
        words = flags(found.side) if found is not None else []
        if words:
            whose = "" if session.is_lane(strip_id) else f"{session.strip_name(strip_id)}: "
            text = f"{whose}its dynamics {', '.join(words)}"
            told.append(Remark((strip_id,) if session.is_lane(strip_id) else (), "side-effects", len(words), text))
    return sorted(told, key=lambda remark: -remark.size)


def _colours(look: Look) -> list[Remark]:
    """What saturation does besides: driven hot on purpose it is colour and no fault, so it is only good to know."""
    told = []
    session = look.session
    for strip_id in (*(strip.id for strip in session.strips if not _is_parallel(session, strip.id)), MIX):
        found = coloured(look, strip_id)
        side = found.side if found is not None else None
        words = flags(side) if side is not None else []
        if words:
            whose = "" if session.is_lane(strip_id) else f"{session.strip_name(strip_id)}: "
            text = f"{whose}its saturation does more than colour: {', '.join(words)}"
            lanes_ = (strip_id,) if session.is_lane(strip_id) else ()
            told.append(Remark(lanes_, "colour-besides", float(len(words)), text, aside=True))
    return told


def _is_parallel(session: Session, strip_id: str) -> bool:
    return any(bus.id == strip_id and bus.use == "parallel" for bus in session.buses)


def _equalisers_again(look: Look) -> list[Remark]:
    """Moves of Share whose figure is another since dynamics came after them."""
    metrics = {metric.id: metric for metric in (figures.HIDDEN, figures.OWN, high_pass.METRIC, low_pass.METRIC)}
    results = {entry.serial: entry.result for entry in look.session.ledger}
    later = {serial for serial, move in standing(look.session).items() if move.stage == "dynamics"}
    if not later:
        return []
    moved = []
    for serial, move in standing(look.session).items():
        result, metric = results.get(serial), metrics.get(move.metric)
        if move.stage != "share" or serial > max(later) or result is None or result.value is None or metric is None:
            continue
        now = metric.read(look, move.arguments)
        if now is None or abs(now - result.value) > move.tolerance:
            moved.append(move)
    if not moved:
        return []
    text = (
        f"{texts.count(len(moved), 'move')} of Share {'is' if len(moved) == 1 else 'are'} no longer as measured: "
        "listen to the equalisers again, their cards there say what they do now"
    )
    return [Remark((), "equalisers-again", float(len(moved)), text)]


def _no_glue(look: Look) -> list[Remark]:
    """Sums that gentle compression does nothing for."""
    return [
        Remark((), "no-glue", closer, f"Gentle compression gains nothing on {name}: loud and soft moments would come "
               f"{number(max(0.0, closer))} dB closer. None is a good answer.", aside=True)
        for _, name, closer in glue.nothing_gained(look)
    ]  # fmt: skip


def _even_already(look: Look) -> list[Remark]:
    """Lines that need no compressor."""
    least = look.session.settings.uneven_over_db
    even = []
    for lane in lanes(look, struck=False):
        found = outline(look, lane.id) if not working(lane.chain) else None
        if found is not None and len(found.units) >= FEWEST and (found.units.spread_db or 0.0) < least:
            even.append(lane.id)
    if not even:
        return []
    text = f"{texts.count(len(even), 'line')} of notes or words within {number(least)} dB: nothing to even out"
    return [Remark(tuple(even), "even-already", float(len(even)), text, aside=True)]


def _no_sibilants(look: Look) -> list[Remark]:
    """Voices in which they can't be told from vowels."""
    unsure = [lane.id for lane, found in soften.voices(look) if len(found) and not found.sure]
    if not unsure:
        return []
    return [Remark(tuple(unsure), "sibilants-unsure", float(len(unsure)),
                   "sibilants can't be told from vowels: nothing is softened", aside=True)]  # fmt: skip
