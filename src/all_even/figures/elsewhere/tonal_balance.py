"""The mix as a whole beside finished ones: zones of the spectrum at equal loudness.

References are the files on this machine's list (`session.machine.references`) and the session's lanes of that role.
"""

from dataclasses import dataclass

from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.level import zones
from all_even.measure.level.zones import Band, Levels
from all_even.measure.recording import files
from all_even.measure.recording.track import TrackMeasures
from all_even.session.file import store
from all_even.session.machine import references
from all_even.session.tracks.roles import REFERENCE


@dataclass(frozen=True, slots=True)
class Tonal:
    """mix, references: levels of the zones, dB against the loudness. bands: what the references do; None where there
    are too few of them."""

    mix: Levels
    references: tuple[tuple[str, Levels], ...]
    bands: tuple[Band | None, ...]
    judged_by: int
    """How many of them the bands are made from."""

    @property
    def flags(self) -> tuple[tuple[int, float], ...]:
        """Zones outside their band, and how far, dB; farthest first."""
        found = [
            (index, beside)
            for index, (band, level) in enumerate(zip(self.bands, self.mix, strict=True))
            if band is not None and level is not None and (beside := band.beside_db(level)) != 0.0
        ]
        return tuple(sorted(found, key=lambda pair: -abs(pair[1])))


def _paths(look: Look) -> list[tuple[str, object]]:
    listed: list[tuple[str, object]] = []
    for path in references.known():
        try:
            listed.append((path.stem, (path, path.stat().st_mtime_ns)))
        except OSError:
            continue
    return listed


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    lanes = [(lane.id, prints.identity(lane.id)) for lane in look.session.lanes if lane.role == REFERENCE]
    return digest((prints.mix, lanes, [(name, str(where)) for name, where in _paths(look)]))


def _levels(measures: TrackMeasures | None) -> Levels | None:
    if measures is None or measures.integrated_lufs is None:
        return None
    return zones.zone_levels(measures.third_octave_db, measures.integrated_lufs)


def _compute(look: Look, _target: str) -> Tonal | None:
    mix = _levels(look.mix)
    if mix is None:
        return None
    found = [(lane.name, _levels(look.measures(lane.id))) for lane in look.session.lanes if lane.role == REFERENCE]
    own = {store.lane_path(look.session, lane) for lane in look.session.lanes}
    jobs = [(path, None) for path in references.known() if path not in own]
    if jobs:
        for index, report in files.measure_files(jobs, cancelled=look.cancelled, workers=look.workers):
            found.append((jobs[index][0].stem, _levels(report.measures)))
    heard = tuple(sorted((name, levels) for name, levels in found if levels is not None))
    return Tonal(mix, heard, zones.bands([levels for _, levels in heard]), len(heard))


TONAL = Figure("whole against references", 1, "session", _rests_on, _compute)


def tonal(look: Look) -> Tonal | None:
    """None where nothing is heard."""
    return look.get(TONAL)
