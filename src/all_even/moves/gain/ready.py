"""Recordings at the working level before any chain: thresholds set later mean the same on every track.

Clip gain and fader move against each other: nothing is heard of it. A starting point, no fault: a level before linear
stations does no harm.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import CLIP_GAIN, LEVEL, number
from all_even.figures.arriving.gain_path import CLIP, Point, to_working_level_db
from all_even.figures.book.look import Look
from all_even.moves.gain.paths import path_of
from all_even.moves.kind import Kind, left_out, per_strip, values_of
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.settings import WORKING_WITHIN_DB
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import NOT_IN_THE_MIX

SHARE = 0.3
"""Proposed where so many of the recordings are off."""
CHANGES = "clip_gains_db"


def wanted_db(look: Look) -> dict[str, float]:
    """Change of clip gain by lane, for those that are off by more than does no harm."""
    found = {}
    for lane in _lanes(look):
        point = _clip_point(look, lane)
        change = to_working_level_db(point, look.session.settings) if point is not None else None
        if change is None or abs(change) <= WORKING_WITHIN_DB:
            continue
        # The fader has to be able to take it back.
        lowest = max(CLIP_GAIN.low - lane.clip_gain_db, lane.level_db - LEVEL.high)
        found[lane.id] = round(min(CLIP_GAIN.high - lane.clip_gain_db, max(lowest, change)), 1)
    return {lane_id: change for lane_id, change in found.items() if change != 0.0}


def _lanes(look: Look) -> list[Lane]:
    """Those without a chain or an automated clip gain."""
    return [
        lane
        for lane in look.session.lanes
        if not lane.chain and not lane.mute and not lane.hidden and lane.role not in NOT_IN_THE_MIX
        and not any(item.parameter in ("clip_gain_db", "level_db") for item in lane.automation)
    ]  # fmt: skip


def _clip_point(look: Look, lane: Lane) -> Point | None:
    path = path_of(look, lane)
    return next((point for point in path or () if point.place == CLIP), None)


def off_level(look: Look) -> float:
    return float(len(wanted_db(look)))


def propose(look: Look) -> list[Proposal]:
    wanted = wanted_db(look)
    if len(wanted) < max(2.0, SHARE * len(_lanes(look))):
        return []
    settings = look.session.settings
    return [
        KIND.move(
            title=f"Bring {len(wanted)} recordings to the nominal level",
            reason=f"Clip gains from {number(min(wanted.values()))} to {number(max(wanted.values()))} dB bring them to "
            f"{number(settings.working_rms_dbfs, 0)} dBFS RMS, peaks under {number(settings.working_peak_dbfs, 0)}; "
            "faders move as far the other way, so nothing changes in the mix. Nothing is wrong without it: it makes "
            "thresholds that are set later comparable.",
            parameters={CHANGES: wanted},
            evidence={"recordings_off": len(wanted), "recordings": len(_lanes(look))},
            metric=METRIC,
            before=float(len(wanted)),
            expected=0.0,
            tolerance=0.0,
            weight=3.0,
        )
    ]


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    changes = values_of(proposal, CHANGES)
    return [(i, f"{session.strip_name(i)} {number(change)} dB") for i, change in changes.items()]


def edit(session: Session, proposal: Proposal) -> Session:
    for lane_id, change in per_strip(proposal, CHANGES).items():
        if session.is_lane(lane_id):
            session = edits.nudge_clip_gains(session, (lane_id,), change)
            session = edits.nudge_levels(session, (lane_id,), -change)
    return session


KIND = Kind(
    "gain.ready", ("files", "order", "names", "levels", "chains", "settings"), propose, edit, starting_point=True,
    optional=True,
    parts=parts, changed=lambda proposal: replace(proposal, expected=float(len(left_out(proposal)))),
)  # fmt: skip
METRIC = Metric(
    "off-working-level", "recordings off the nominal level", "", 0, 0.0,
    ("files", "order", "levels", "chains", "settings"), lambda look, _: off_level(look),
)  # fmt: skip
