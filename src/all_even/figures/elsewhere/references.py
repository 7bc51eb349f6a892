"""The mix beside finished ones, like with like: the loudest passage of each, at its own loudness.

References are the files of the session, those known on this machine (`session.machine.references`), and lanes of that
role. A rough mix of this song is compared, and belongs to no band. From five references on what lies outside all of
them is told; a planted change of 6 dB was found in 26 to 72 % of cases, and 7 to 14 % of zones were told where nothing
was wrong. So it is something to listen to, never a target: an equaliser towards references got even the direction right
in only 59 to 63 %.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from all_even.audio import decoded, sound_file
from all_even.audio.content import content_hash
from all_even.audio.decoded import Frames
from all_even.errors import UserError, short_name
from all_even.figures.book import on_disk
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.level import passage, zones
from all_even.measure.level.passage import Passage
from all_even.measure.level.zones import Band
from all_even.session.file import store
from all_even.session.machine import references
from all_even.session.model.session import Session, Use
from all_even.session.model.strips import MIX
from all_even.session.tracks.roles import REFERENCE

ROUGH_WORDS = ("rough", "ruff", "monitor mix")


@dataclass(frozen=True, slots=True)
class Listed:
    """A finished mix to compare with. name: for people. index: among the session's own; None for one that is only
    known on this machine, or is a lane."""

    name: str
    path: Path
    use: Use
    index: int | None = None


@dataclass(frozen=True, slots=True)
class MixHeard:
    """One of them, measured. problem: the sentence where it can't be read."""

    listed: Listed
    passage: Passage | None
    problem: str = ""


@dataclass(frozen=True, slots=True)
class Beside:
    """mix: None where nothing is heard. bands: what references do in each zone; widths: side over mid in each zone,
    low_share, peak: one band each; None where fewer than five say something about it."""

    mix: Passage | None
    others: tuple[MixHeard, ...]
    bands: tuple[Band | None, ...]
    widths: tuple[Band | None, ...]
    low_share: Band | None
    peak: Band | None

    @property
    def references(self) -> tuple[Passage, ...]:
        return tuple(
            item.passage for item in self.others if item.passage is not None and item.listed.use == "reference"
        )

    @property
    def flags(self) -> tuple[tuple[int, float], ...]:
        """Zones outside their band, and how far, dB; farthest first."""
        levels = self.mix.zones_db if self.mix is not None else ()
        found = [
            (index, beside)
            for index, (band, level) in enumerate(zip(self.bands, levels, strict=False))
            if band is not None and level is not None and (beside := band.beside_db(level)) != 0.0
        ]
        return tuple(sorted(found, key=lambda pair: -abs(pair[1])))


def listed(session: Session) -> tuple[Listed, ...]:
    """All of a session: its own first, then its lanes of that role, then those of this machine; each file once."""
    found: list[Listed] = []
    for index, item in enumerate(session.references):
        try:
            path = store.listed_path(session, item.folder, item.file)
        except UserError:
            continue
        found.append(Listed(path.stem, path, item.use, index))
    for lane in session.lanes:
        if lane.role == REFERENCE:
            path = store.lane_path(session, lane)
            rough = any(word in f"{lane.name} {path.stem}".lower() for word in ROUGH_WORDS)
            found.append(Listed(lane.name, path, "rough mix" if rough else "reference"))
    found += [Listed(path.stem, path, "reference") for path in references.known()]
    each = {item.path: item for item in reversed(found)}
    return tuple(item for item in found if each[item.path] is item)


def opened(path: Path, sample_rate: int) -> Frames:
    """The sound of a reference at a rate, as lanes are read. Raises a UserError with a sentence where it can't be."""
    try:
        return decoded.open_frames(sound_file.inspect(path), sample_rate, None)
    except (OSError, RuntimeError):  # the decoder's own errors are RuntimeErrors
        raise UserError(f"{short_name(path.name)} can't be opened: the disk refuses it.") from None


def heard(item: Listed, sample_rate: int) -> MixHeard:
    """A reference, measured; known again by its content."""
    name = "passage"
    try:
        content = digest((content_hash(item.path), sample_rate))
        known = on_disk.known_value(name, passage.VERSION, content, Passage)
        if isinstance(known, Passage):
            return MixHeard(item, known)
        frames = opened(item.path, sample_rate)
        found = passage.passage(frames.read, frames.frames, frames.channels, sample_rate)
    except UserError as error:
        return MixHeard(item, None, str(error))
    except OSError:
        return MixHeard(item, None, f"{short_name(item.path.name)} can't be opened: the disk refuses it.")
    if found is None:
        return MixHeard(item, None, f"{short_name(item.path.name)} is silent.")
    on_disk.keep_value(name, passage.VERSION, content, found)
    return MixHeard(item, found)


def mix_passage(look: Look) -> Passage | None:
    """The loudest passage of the mix, behind the mix bus."""
    return look.get(MIX_PASSAGE)


def _mix_passage(look: Look, _target: str) -> Passage | None:
    sound = look.sound(MIX)
    return passage.passage(sound.read, sound.frames, sound.channels, look.session.sample_rate)


def beside(look: Look) -> Beside:
    """The mix beside all that it is compared with."""
    return look.get(BESIDE)


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    return digest((prints.mix, [(str(item.path), item.use, _written_ns(item.path)) for item in listed(look.session)]))


def _written_ns(path: Path) -> int:
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return -1


def _compute(look: Look, _target: str) -> Beside:
    others = []
    for item in listed(look.session):
        look.stop_if_cancelled()
        others.append(heard(item, look.session.sample_rate))
    known = [item.passage for item in others if item.passage is not None and item.listed.use == "reference"]
    return Beside(
        mix_passage(look) if look.book.fingerprints(look.session).song_frames else None,
        tuple(others),
        zones.bands([item.zones_db for item in known]),
        zones.bands([item.width_db for item in known]),
        band_of([item.low_share_db for item in known]),
        band_of([item.peak_to_loudness_db for item in known]),
    )


def band_of(values: Sequence[float | None]) -> Band | None:
    """What references do in one figure; None for fewer than five."""
    return zones.bands([(value, *([None] * (len(zones.NAMES) - 1))) for value in values])[0]


class Looped:
    """A stretch of a sound that repeats, its ends blended over `join` frames: whatever the position, it plays on."""

    def __init__(self, sound: Frames, start: int, length: int, join: int, frames: int) -> None:
        """start, length: of the stretch; frames: how long it goes on."""
        whole = sound.read(start, length).astype(np.float32)
        if whole.shape[1] == 1:
            whole = np.repeat(whole, 2, axis=1)
        join = min(join, length // 4)
        part = np.linspace(0.0, 1.0, join, endpoint=False, dtype=np.float32)[:, np.newaxis]
        whole[:join] = np.sqrt(part) * whole[:join] + np.sqrt(1.0 - part) * whole[length - join :]
        self._sound = whole[: length - join]
        self.channels, self.frames = 2, frames

    def read(self, start: int, frames: int) -> np.ndarray:
        """(frames, 2) at any place."""
        return self._sound[np.arange(start, start + frames) % max(1, len(self._sound))]


MIX_PASSAGE = Figure(
    "passage of the mix", passage.VERSION, "mix", lambda look, prints, _: digest((prints.mix,)), _mix_passage
)
BESIDE = Figure("mix beside references", 1, "session", _rests_on, _compute)
