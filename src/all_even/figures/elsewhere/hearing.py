"""What is played in place of the mix: the mix through another system, a reference, the low end alone; equally loud.

None of it is ever printed. The louder one is lowered; what is softer is raised by 6 dB at most, and never so far that
its peak passes -1 dBFS.
"""

from msgspec.structs import replace

from all_even.engine.plan import Plan
from all_even.engine.planning import make_plan
from all_even.errors import UserError
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.references import Listed, Looped, heard, mix_passage, opened
from all_even.figures.elsewhere.translation import translation
from all_even.measure.level import loudness, passage
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, Lane, MixSettings

MOST_RAISED_DB = 6.0
HIGHEST_PEAK_DBFS = -1.0
JOIN_S = 0.3
"""A passage that repeats is blended over this."""
LANE = "reference"


def on_system(look: Look, key: str, *, low_end: bool = False) -> tuple[Plan, float]:
    """The mix through a system, as loud as here."""
    session = systems.through(look.session, key)
    if low_end:
        session = systems.low_end_alone(session)
    gain_db = translation(look).matched_db(key)
    return make_plan(session, look.book.sources), raised(gain_db, _peak_dbfs(look))


def low_end_alone(look: Look) -> tuple[Plan, float]:
    """Nothing of the mix over 125 Hz, at its own level."""
    return make_plan(systems.low_end_alone(look.session), look.book.sources), 0.0


def reference(look: Look, item: Listed, *, low_end: bool = False) -> tuple[Plan, float]:
    """The loudest passage of a reference, repeating, as loud as the mix in its loop, else in its loudest passage."""
    plan, lufs, peak_dbfs = _reference_plan(look, item, low_end=low_end)
    own = mix_lufs(look)
    return plan, raised(own - lufs, peak_dbfs) if own is not None else 0.0


def _reference_plan(look: Look, item: Listed, *, low_end: bool = False) -> tuple[Plan, float, float]:
    """A reference's plan, its loudness and its peak."""
    rate = look.session.sample_rate
    found = heard(item, rate)
    if found.passage is None:
        raise UserError(found.problem)
    frames = opened(item.path, rate)
    start, length = round(found.passage.start_s * rate), round(found.passage.length_s * rate)
    frames_of_song = max(rate, look.book.fingerprints(look.session).song_frames)
    sound = Looped(frames, start, length, round(JOIN_S * rate), frames_of_song)
    chain = systems.low_end_stations() if low_end else ()
    lane = Lane(id=LANE, name=item.name, file=item.path.name, role="reference mix")
    session = Session(
        name=item.name, sample_rate=rate, folders=(Folder(path=str(item.path.parent)),), lanes=(lane,),
        mix=MixSettings(chain=chain),
    )  # fmt: skip
    peak = found.passage.integrated_lufs + found.passage.peak_to_loudness_db
    return make_plan(session, {LANE: sound}), found.passage.integrated_lufs, peak


def mix_lufs(look: Look) -> float | None:
    """Loudness of the mix in its loop, else in its loudest passage."""
    loop = look.session.loop
    if loop is not None and loop.active:
        return section_lufs(look, loop.start_s, loop.end_s)
    found = mix_passage(look)
    return found.integrated_lufs if found is not None else None


def section_lufs(look: Look, start_s: float, end_s: float) -> float | None:
    """Loudness of a stretch of the mix, behind the mix bus."""
    sound, rate = (
        look.sound(MIX),
        look.session.sample_rate,
    )
    first = round(start_s * rate)
    count = max(0, min(sound.frames, round(end_s * rate)) - first)
    weighted = passage.weighted_of(lambda at, frames: sound.read(first + at, frames), count, sound.channels, rate)
    return loudness.integrated_lufs(weighted)


def equally_loud(look: Look, options: list[Session | Listed]) -> list[tuple[Plan, float]]:
    """Each state of the session and each reference as a plan with a gain in dB: all as loud as the softest of them.

    Loudness is that of the loop, else of each one's loudest passage. A UserError where one of them is silent.
    """
    plans: list[tuple[Plan, float]] = []
    for item in options:
        look.stop_if_cancelled()
        if isinstance(item, Listed):
            plan, lufs, _ = _reference_plan(look, item)
            plans.append((plan, lufs))
            continue
        own = mix_lufs(look.at(replace(item, loop=look.session.loop)))
        if own is None:
            raise UserError("One of these makes no sound here: choose another passage to compare.")
        plans.append((make_plan(item, look.book.sources), own))
    softest = min(lufs for _, lufs in plans)
    return [(plan, softest - lufs) for plan, lufs in plans]


def raised(gain_db: float, peak_dbfs: float | None) -> float:
    """A gain that matches loudness, kept from being a danger."""
    gain_db = min(gain_db, MOST_RAISED_DB)
    if gain_db <= 0.0 or peak_dbfs is None:
        return gain_db
    return max(0.0, min(gain_db, HIGHEST_PEAK_DBFS - peak_dbfs))


def _peak_dbfs(look: Look) -> float | None:
    mix = look.mix
    return mix.sample_peak_dbfs if mix is not None else None
