"""Whether what lies there are stems of a finished mix: then everything was decided already, and little helps.

Told by four things together (our own rule, tried on generated sessions and on stems made of their mixes): few files,
of which most have two sides; all as long as each other, to a tenth of a second, and from the song's beginning on; their
plain sum, all faders at 0, neither over full scale by more than a little nor soft; and no further from its peak than a
mix is that somebody has worked on. A rough mix that lies there too is not needed for it.
"""

from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.session.editing.anew import is_mixed_anew
from all_even.session.model.session import Session
from all_even.session.model.strips import MixSettings
from all_even.session.tracks.classes import takes_part

MOST_STEMS, FEWEST_STEMS = 8, 2
STEREO_SHARE = 0.6
SAME_LENGTH_S = 0.1
PEAK_DBTP, LOUDEST_LUFS = (-12.0, 2.0), -24.0
MOST_PLR_DB = 18.0
"""Stems are printed before what holds the peaks of the mix: seen up to 17."""


@dataclass(frozen=True, slots=True)
class Finished:
    """stems: how many; plr_db, true_peak_dbtp, lufs: of their plain sum. limited: how many have printed limiting."""

    stems: int
    true_peak_dbtp: float
    lufs: float
    limited: int

    @property
    def plr_db(self) -> float:
        return self.true_peak_dbtp - self.lufs

    @property
    def text(self) -> str:
        """Why it is thought so, in a sentence."""
        printed = f", {self.limited} of them with printed limiting" if self.limited else ""
        return (
            f"These look like {self.stems} stems of a finished mix: of one length{printed}, mostly stereo, and their "
            f"plain sum already stands like one, {number(self.lufs)} LUFS, PLR {number(self.plr_db)} dB. "
            "Moves that would mix them anew are not offered."
        )


def finished(look: Look) -> Finished | None:
    """None where they are tracks, where it can't be told, or where they are to be mixed anew."""
    if is_mixed_anew(look.session):
        return None
    return look.get(FINISHED)


def _plain(session: Session) -> Session:
    """All that takes part as it came, faders at 0."""
    lanes = tuple(
        replace(lane, level_db=0.0, pan=0.0, chain=(), sends=(), automation=(), mute=not takes_part(lane.role),
                solo=False, clip_gain_db=0.0, destination="mix", group=None)
        for lane in session.lanes
    )  # fmt: skip
    return replace(session, lanes=lanes, buses=(), folder_groups=(), mix=MixSettings())


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    lanes = [
        (lane.id, prints.identity(lane.id), lane.start_s, takes_part(lane.role), lane.hidden, lane.id in look.reports)
        for lane in look.session.lanes
    ]
    return digest(lanes)


def _compute(look: Look, _target: str) -> Finished | None:
    lanes = [lane for lane in look.session.lanes if takes_part(lane.role) and not lane.hidden]
    found = [(lane, measures) for lane in lanes if (measures := look.measures(lane.id)) is not None]
    if not FEWEST_STEMS <= len(found) <= MOST_STEMS or len(found) < len(lanes):
        return None
    lengths = [measures.duration_s for _, measures in found]
    if max(lengths) - min(lengths) > SAME_LENGTH_S or any(lane.start_s > 0.0 for lane in lanes):
        return None
    if sum(measures.channels > 1 and not measures.identical_channels for _, measures in found) < STEREO_SHARE * len(
        found
    ):
        return None
    mix = look.at(_plain(look.session)).mix
    if mix is None or mix.true_peak_dbtp is None or mix.integrated_lufs is None:
        return None
    limited = sum(measures.limited for _, measures in found)
    told = Finished(len(found), mix.true_peak_dbtp, mix.integrated_lufs, limited)
    low, high = PEAK_DBTP
    stands = low <= told.true_peak_dbtp <= high and told.lufs >= LOUDEST_LUFS and told.plr_db <= MOST_PLR_DB
    return told if stands else None


FINISHED = Figure("finished stems", 1, "session", _rests_on, _compute)
