"""What Gain answers where it proposes nothing."""

from all_even import texts
from all_even.figures.book.look import Look
from all_even.moves.answer import Answer, cant_judge, nothing_needed
from all_even.moves.gain.paths import path_of


def answer(look: Look) -> Answer:
    with_level = [lane for lane in look.session.lanes
                  if any(station.LEVEL_DEPENDENT and not station.bypass for station in lane.chain)]  # fmt: skip
    unknown = [lane for lane in with_level if path_of(look, lane) is None]
    if unknown:
        return cant_judge(f"the level into {texts.count(len(unknown), 'chain')} is not measured yet")
    if not with_level:
        return nothing_needed("No insert depends on level yet, and as numbers all levels do no harm")
    settings = look.session.settings
    chains = texts.count(len(with_level), "chain")
    return nothing_needed(f"Into {chains} the level is near {settings.working_rms_dbfs:.0f} dBFS")
