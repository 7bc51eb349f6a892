"""What is to be said of a balance before anything is moved: where everybody stands, and the whole against references.

Places are only judged of single channels that are no part of the centre by their role.
"""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.elsewhere.tonal_balance import tonal
from all_even.figures.sources.stereo_placement import Stand, alike, pan_of, stand
from all_even.figures.whole.finished import finished
from all_even.measure.level import zones
from all_even.moves.balance.spread import ONE_SEAT
from all_even.session.model.remark import Press, Remark
from all_even.session.tracks import seats
from all_even.session.tracks.classes import PAIRED, stands_central

IN_THE_MIDDLE = 0.1
"""Of full pan: nearer nobody hears it beside the centre."""
FEWEST_CENTRAL = 4
MOST_PAIRS = 3
MIX_ANEW = "mix-anew"
"""The command that has stems of a finished mix mixed anew."""


def remarks(look: Look) -> tuple[Remark, ...]:
    """All of them, the most important first."""
    done = finished(look)
    if done is not None:
        return (
            Remark((), "finished-stems", float(done.stems), done.text, presses=(Press(MIX_ANEW, "Mix them anew"),)),
        )
    found = stand(look)
    told = [] if found is None else _all_centre(look, found) or _one_seat(look, found)
    return (*told, *_zones(look))


def _movable(look: Look, found: Stand) -> list[int]:
    return [
        index
        for index, unit in enumerate(found.units)
        if found.mono[index] and not stands_central(unit.role) and unit.role not in PAIRED and unit.role != "unknown"
    ]


def _all_centre(look: Look, found: Stand) -> list[Remark]:
    movable = _movable(look, found)
    if len(movable) < FEWEST_CENTRAL or seats.fitting(look.session) is not None:
        return []
    if any(abs(pan_of(look.session, found.units[index])) > IN_THE_MIDDLE for index in movable):
        return []
    lanes = tuple(lane.id for index in movable for lane in found.units[index].lanes)
    text = f"All {len(movable)} sources that could stand anywhere stand in the middle: they mask each other there."
    return [Remark(lanes, "all-centre", float(len(movable)), text)]


def _one_seat(look: Look, found: Stand) -> list[Remark]:
    """Two of a family and a class, alike in their spectrum and playing at once, at one place."""
    told = []
    for (a, b), likeness in alike(found, _movable(look, found)).items():
        first, second = found.units[a], found.units[b]
        if abs(pan_of(look.session, first) - pan_of(look.session, second)) <= ONE_SEAT:
            text = f"{100.0 * likeness:.0f} % alike, at one place: heard as one"
            told.append(Remark((first.id, second.id), "one-seat", likeness, text))
    return sorted(told, key=lambda remark: -remark.size)[:MOST_PAIRS]


def _zones(look: Look) -> list[Remark]:
    found = tonal(look)
    if found is None:
        return []
    told = []
    for index, beside in found.flags:
        level, band = found.mix[index], found.bands[index]
        assert level is not None
        assert band is not None
        low, high = zones.EDGES_HZ[index : index + 2]
        name = zones.NAMES[index]
        text = (
            f"{name[:1].upper()}{name[1:]} ({low:.0f} to {high:.0f} Hz): {number(abs(beside))} dB "
            f"{'over' if beside > 0.0 else 'under'} what your {len(found.references)} references do at equal "
            "loudness. A flag, no fault: about one in ten is false. Listen, and look at single tracks first."
        )
        told.append(Remark((), "zone", beside, text))
    return told
