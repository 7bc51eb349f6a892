"""What Low end answers where it proposes nothing."""

from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.figures.low_end.low_end import kicks_and_basses
from all_even.moves.answer import Answer, cant_judge, missing, nothing_needed
from all_even.session.model import routing


def answer(look: Look) -> Answer:
    kicks, basses = kicks_and_basses(look.session)
    for lanes, what in ((kicks, "a kick"), (basses, "a bass")):
        if not lanes:
            return missing(look, what, f"No track is {what}: nothing shares the low end with it")
        if not any(routing.is_sounding(look.session, look.session.lane(lane)) for lane in lanes):
            return cant_judge(f"{what} is there but not heard (muted, or its fader is down)")
    said = verdict(look)
    if said is None:
        return cant_judge("no hits of the kick were found while the bass plays")
    if said.collides:
        return Answer(True, f"{said.sentence()}; every way would cost more than it brings", unmended=True)
    return nothing_needed(said.figure())
