"""The songs of one record side by side: what should match from song to song, and which one falls out of line.

Figures are of mixes before mastering, so loudness is compared, not judged: a song that stands far from the others is
told, with how far. Widths are of the loudest twenty seconds before the mix bus, side against mid.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from all_even.engine.sources import Sources
from all_even.figures.book import flow as flows
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.figures.of_session import lane_reports
from all_even.figures.song import SONG
from all_even.figures.sources.units import unit_energy, units
from all_even.measure.level import loudness, zones
from all_even.measure.sharing.placing import MONO_BANDS_HZ
from all_even.session.file import store
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

FEWEST = 3
"""Under so many songs nothing is called out of line."""


@dataclass(frozen=True, slots=True)
class SongFigures:
    """One song; None where it can't be known. peak_dbfs: sample peak. low_share_db: power under 125 Hz against the
    loudness. voice_lu: leads against all else. width_low_db, _mid_, _high_: side against mid. bus: stations of the mix
    bus, in order."""

    name: str
    integrated_lufs: float | None
    peak_dbfs: float | None
    low_share_db: float | None
    voice_lu: float | None
    width_low_db: float | None
    width_mid_db: float | None
    width_high_db: float | None
    tempo_bpm: float | None
    trim_db: float
    bus: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Column:
    """field: of `SongFigures`. far: how far from the middle of the songs is out of line at least; None: never."""

    field: str
    name: str
    unit: str
    far: float | None
    decimals: int = 1


COLUMNS: tuple[Column, ...] = (
    Column("integrated_lufs", "Loudness", "LUFS", 1.0),
    Column("peak_dbfs", "Peak", "dBFS", 3.0),
    Column("low_share_db", "Low share", "dB", 2.0),
    Column("voice_lu", "Voice", "LU", 1.5),
    Column("width_low_db", "Width low", "dB", 3.0),
    Column("width_mid_db", "mid", "dB", 3.0),
    Column("width_high_db", "high", "dB", 3.0),
    Column("tempo_bpm", "Tempo", "BPM", None),
    Column("trim_db", "Trim", "dB", None),
)
"""Distances are common practice, from memory: within one record a listener should not reach for the volume."""


def song_figures(look: Look) -> SongFigures:
    """The figures of one open session."""
    session, mix = look.session, look.mix
    tempo = look.get(SONG).tempo
    low = None
    if mix is not None and mix.integrated_lufs is not None:
        levels = zones.zone_levels(mix.third_octave_db, mix.integrated_lufs)[:2]
        powers = [10.0 ** (level / 10.0) for level in levels if level is not None]
        low = 10.0 * float(np.log10(sum(powers))) if powers else None
    widths = widths_db(look.loudest(MIX), session.sample_rate) if mix is not None else (None, None, None)
    return SongFigures(
        session.name,
        mix.integrated_lufs if mix is not None else None,
        mix.sample_peak_dbfs if mix is not None else None,
        low,
        _voice_lu(look),
        *widths,
        tempo.bpm if tempo is not None else None,
        session.mix.trim_db,
        tuple(station.LABEL for station in session.mix.chain),
    )


def _voice_lu(look: Look) -> float | None:
    parts: dict[bool, list[NDArray[np.float64]]] = {True: [], False: []}
    for unit in units(look):
        energy = unit_energy(look, unit)
        if energy is not None:
            parts[unit.standing == "lead"].append(energy)
    loud = [loudness.integrated_lufs(flows.summed(parts[lead])) if parts[lead] else None for lead in (True, False)]
    return loud[0] - loud[1] if loud[0] is not None and loud[1] is not None else None


def widths_db(sound: NDArray[np.float64], sample_rate: int) -> tuple[float | None, float | None, float | None]:
    """Side against mid in lows, mids and highs; None where nothing sounds, or one side is all there is."""
    if sound.ndim != 2 or sound.shape[1] != 2 or len(sound) < sample_rate // 10:
        return (None, None, None)
    mid = np.abs(np.fft.rfft(0.5 * (sound[:, 0] + sound[:, 1]))) ** 2
    side = np.abs(np.fft.rfft(0.5 * (sound[:, 0] - sound[:, 1]))) ** 2
    hertz = np.fft.rfftfreq(len(sound), 1.0 / sample_rate)
    found: list[float | None] = []
    for low, high in MONO_BANDS_HZ.values():
        inside = (hertz >= low) & (hertz < high)
        whole = float(mid[inside].sum())
        narrow = float(side[inside].sum()) <= 1e-10 * whole
        found.append(None if whole <= 0.0 or narrow else 10.0 * float(np.log10(side[inside].sum() / whole)))
    return found[0], found[1], found[2]


def measured(path: Path) -> SongFigures:
    """The figures of a session file; a UserError where it can't be opened."""
    session: Session = store.load(path)
    sources = Sources()
    sources.update(session)
    return song_figures(Look(session, Book(sources), lane_reports(session, sources)))


def middle(songs: Sequence[SongFigures], column: Column) -> float | None:
    """The median of a figure over the songs."""
    known = [value for song in songs if (value := getattr(song, column.field)) is not None]
    return float(np.median(known)) if known else None


def out_of_line(songs: Sequence[SongFigures]) -> dict[tuple[int, str], float]:
    """By song and field, how far it stands from the middle of the others, signed; only what is too far."""
    found = {}
    for column in COLUMNS:
        for index, song in enumerate(songs):
            own = getattr(song, column.field)
            others = [other for number, other in enumerate(songs) if number != index]
            known = [value for other in others if (value := getattr(other, column.field)) is not None]
            if column.far is None or own is None or len(known) < FEWEST - 1:
                continue
            distance = own - float(np.median(known))
            spread = float(np.max(np.abs(np.array(known) - np.median(known))))
            if abs(distance) > max(column.far, 2.0 * spread):
                found[index, column.field] = distance
    return found
