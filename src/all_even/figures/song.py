"""The song of a session as a figure: tempo, sections, tuning and timing, as the user has put them right."""

from collections.abc import Mapping

from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.recording.files import FileReport
from all_even.session.model.session import Session
from all_even.session.song import song_map
from all_even.session.song.hits import hits_s
from all_even.session.song.song import Part, Song, attack_ms, find_song, is_line, onsets_s
from all_even.session.tracks.roles import family_of


def session_song(session: Session, reports: Mapping[str, FileReport]) -> Song:
    """Tempo, sections, tuning and timing of a session, with the hits as the user has put them right."""
    parts = []
    for lane in session.lanes:
        report = reports.get(lane.id)
        if report is None or report.measures is None or report.character is None:
            continue
        onsets = onsets_s(lane.role, report.character)
        if onsets is not None and is_line(lane.role, report.character):
            onsets = tuple(time + lane.start_s for time in onsets)
        elif onsets is not None:
            onsets = hits_s(lane, onsets)
        attack = attack_ms(report) if family_of(lane.role) == "bass" else 0.0
        parts.append(Part(lane.id, lane.role, report.measures, report.character, onsets, lane.start_s, attack))
    found = find_song(parts)
    duration_s = max((part.start_s + part.measures.duration_s for part in parts), default=0.0)
    return song_map.told(found, session.song, duration_s)


def _song_rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    lanes = [
        (lane.id, prints.identity(lane.id), lane.role, lane.start_s, lane.hits, lane.take, lane.id in look.reports)
        for lane in look.session.lanes
    ]
    return digest((lanes, look.session.song))


SONG = Figure("song", 2, "session", _song_rests_on, lambda look, _: session_song(look.session, look.reports))
"""Tempo, sections, tuning and timing, as the user has put them right."""
