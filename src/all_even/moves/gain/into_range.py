"""A sensible level into what answers to level. Common practice: about -18 dBFS RMS while playing, peaks under -6.

The change is made at the earliest point from which the level is outside, as clip gain where that is the recording. The
fader moves against what comes out of the chain, so that thresholds change and not the balance. The drive of a
saturation on the way goes against it as well: its colour was chosen by ear and stays.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import CLIP_GAIN, LEVEL, number
from all_even.dsp.processor import Processor, numbers
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.arriving.gain_path import CLIP, FILE, Point, Trouble, is_judged, outside, trouble
from all_even.figures.book.look import Look
from all_even.moves.gain.paths import arriving_lufs, level_at, path_of
from all_even.moves.kind import Kind, text_of, value_of
from all_even.moves.metric import Metric
from all_even.session.editing import chain_edits, edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.settings import WORKING_WITHIN_DB
from all_even.session.model.strips import Lane

BY_FADER = "fader_db"
ROUNDS = 2
"""The second takes up what the gates of loudness let in or out at the other level."""


def propose(look: Look) -> list[Proposal]:
    found = []
    for lane in look.session.lanes:
        if lane.mute or lane.hidden or not lane.chain:
            continue
        path = path_of(look, lane)
        wrong = trouble(path, lane.chain, look.session.settings) if path is not None else None
        if path is not None and wrong is not None:
            found.append(_proposal(look.session, lane, path, wrong))
    return found


def _proposal(session: Session, lane: Lane, path: tuple[Point, ...], wrong: Trouble) -> Proposal:
    met, settings = path[wrong.into], session.settings
    begins = path[wrong.begins].place
    at_head = begins in (FILE, CLIP)
    gain_db = (
        round(CLIP_GAIN.clamped(lane.clip_gain_db + wrong.change_db) - lane.clip_gain_db, 1)
        if at_head
        else (round(wrong.change_db, 1))
    )
    where = "the recording's own level" if at_head else f"what comes out of {path[wrong.begins].name}"
    side = "hotter" if outside(met, settings) > 0 else "quieter"
    rms_out = abs((met.level.rms_dbfs or 0.0) - settings.working_rms_dbfs) > WORKING_WITHIN_DB
    against = f"{side} than the nominal level of {number(settings.working_rms_dbfs, 0)}"
    if not rms_out:
        against = f"its peaks are over {number(settings.working_peak_dbfs, 0)}"
    between = lane.chain[max(0, wrong.begins - 1) : wrong.into - 1]
    linear = all(not station.LEVEL_DEPENDENT or _keeps_colour(station, gain_db) for station in between)
    rms = met.level.rms_dbfs or 0.0
    return KIND.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"{lane.name}: {number(gain_db)} dB into its {wrong.station.LABEL.lower()}",
        reason=f"It meets {number(rms)} dBFS RMS, peaks {number(met.level.peak_dbfs or 0.0)}: {against}. "
        f"It begins with {where} and is put right there. The fader "
        "moves against it: the threshold meets another level, the balance stays.",
        parameters={"gain_db": gain_db, "before": "" if at_head else begins},
        evidence={
            "rms_into_station_dbfs": rms,
            "peak_into_station_dbfs": met.level.peak_dbfs,
            "clip_gain_db": lane.clip_gain_db,
            "station": wrong.station.id,
        },
        metric=METRIC,
        arguments={"lane": lane.id, "place": met.place if met.place != FILE else CLIP},
        before=rms,
        expected=rms + gain_db if linear else None,
        weight=8.0 if outside(met, settings) > 0 else 5.0,
    )


def prepare(look: Look, proposal: Proposal) -> Proposal:
    """The fader that brings the lane back to where it arrived, tried on the sound."""
    (lane_id,) = proposal.targets
    before = arriving_lufs(look, look.session, lane_id)
    fader = look.session.lane(lane_id).level_db
    for _ in range(ROUNDS):
        proposal = replace(proposal, parameters={**proposal.parameters, BY_FADER: fader})
        after = arriving_lufs(look, edit(look.session, proposal), lane_id)
        if before is not None and after is not None:
            fader = LEVEL.clamped(fader + before - after)
    return replace(proposal, parameters={**proposal.parameters, BY_FADER: fader})


def edit(session: Session, proposal: Proposal) -> Session:
    (lane_id,) = proposal.targets
    gain_db = value_of(proposal, "gain_db")
    behind = text_of(proposal, "before")
    if behind:
        session = chain_edits.raise_output(session, lane_id, behind, gain_db)
    else:
        session = edits.nudge_clip_gains(session, (lane_id,), gain_db)
    session = _with_colour_kept(session, lane_id, behind, gain_db)
    fader = proposal.parameters.get(BY_FADER)
    return edits.change_strips(session, (lane_id,), level_db=fader) if isinstance(fader, float) else session


def _with_colour_kept(session: Session, lane_id: str, behind: str, gain_db: float) -> Session:
    """The drives of saturations that the change of level reaches go against it: `f(g x) / g` is then as it was, and as
    much louder as what comes in."""
    reached = not behind
    for station in session.lane(lane_id).chain:
        if reached and isinstance(station, Saturation):
            drive_db = DRIVE.clamped(station.drive_db - gain_db)
            session = chain_edits.change_station(session, lane_id, station.id, drive_db=drive_db)
        elif reached and is_judged(station):
            break  # what comes out of it moves by less, or not at all
        reached = reached or station.id == behind
    return session


def _keeps_colour(station: Processor, gain_db: float) -> bool:
    """Whether a saturation's drive can go against a gain as far as it has to."""
    return isinstance(station, Saturation) and DRIVE.low <= station.drive_db - gain_db <= DRIVE.high


DRIVE = numbers(Saturation)["drive_db"]
KIND = Kind("gain.into-range", ("files", "names", "order", "levels", "strips", "settings"), propose, edit, prepare)
METRIC = Metric("level-into", "level into the processor", "dBFS RMS", 1, 0.5, ("files", "strips"), level_at)
