"""Putting the song's time right: tempo, where bars begin, sections; at the playing position where it matters."""

import time
from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QFileDialog

from all_even.app.desk import Desk
from all_even.app.verbs.dialogs import Dialogs
from all_even.session.model.session import Session


class SongTime:
    """Part of the window's verbs."""

    def __init__(self, desk: Desk, dialogs: Dialogs) -> None:
        self._desk, self._dialogs = desk, dialogs
        self._taps: list[float] = []

    def _position_s(self) -> float:
        player = self._desk.ears.known_player
        return player.position_s() if player is not None else 0.0

    def change(self, what: str) -> None:
        """Puts tempo, bars or sections right, at the playing position where it matters."""
        from all_even.session.song import song_map

        desk = self._desk
        song = desk.figures.song if desk.is_open else None
        if song is None:
            desk.said.emit("The song's time is not known yet: its tracks are being measured.")
            return
        at_s = self._position_s()
        index = song_map.section_at(desk.session, song, at_s)
        changes: dict[str, Callable[[Session], Session]] = {
            "tempo as found": lambda s: song_map.set_song(s, tempo_bpm=None, bar_s=None),
            "bars later": lambda s: song_map.shift_bars(s, song, 1),
            "bars earlier": lambda s: song_map.shift_bars(s, song, -1),
            "split": lambda s: song_map.split_section(s, song, at_s),
            "join": lambda s: song_map.remove_section(s, song, index),
            "sections as found": lambda s: song_map.set_song(s, sections=()),
        }
        desk.edit(changes[what])

    def tap(self) -> None:
        """One tap in time; from the fourth on the tempo follows."""
        from all_even.session.song import song_map

        if not self._desk.is_open:
            return
        self._taps = [*self._taps[-31:], time.monotonic()]
        bpm = song_map.tapped_bpm(self._taps)
        if bpm is None:
            self._desk.said.emit("Tap on: the tempo follows from the fourth beat.")
        else:
            self._desk.edit(lambda s: song_map.set_tempo(s, round(bpm, 1)), merge="tap")

    def type_tempo(self) -> None:
        from all_even.session.song import song_map

        desk = self._desk
        if not desk.is_open:
            return

        def typed(text: str) -> None:
            try:
                bpm = float(text.lower().replace("bpm", "").replace(",", ".").strip())
            except ValueError:
                desk.said.emit(f"“{text}” is not a tempo. Type beats per minute, e.g. 120.")
                return
            desk.edit(lambda s: song_map.set_tempo(s, bpm))

        song = desk.figures.song
        known = f"{song.tempo.bpm:.1f}" if song is not None and song.tempo is not None else ""
        self._dialogs.type_over_song("Beats a minute", known, typed)

    def name_section(self) -> None:
        from all_even.session.song import song_map

        desk = self._desk
        song = desk.figures.song if desk.is_open else None
        if song is None:
            return
        marks = song_map.marks_of(desk.session, song)
        index = max(0, song_map.section_at(desk.session, song, self._position_s()))
        if index < len(marks):
            done = partial(self._named_section, index)
            self._dialogs.type_over_song("Name of the section", marks[index].name, done)

    def _named_section(self, index: int, name: str) -> None:
        from all_even.session.song import song_map

        song = self._desk.figures.song
        if song is not None:
            self._desk.edit(lambda s: song_map.name_section(s, song, index, name))

    def tempo_from_midi(self) -> None:
        """Tempo and bars as a MIDI file has them; its beginning is the beginning of the song."""
        from all_even.audio import midi
        from all_even.session.song import song_map

        desk = self._desk
        if not desk.is_open:
            return
        chosen = self._dialogs.choose(
            QFileDialog.FileMode.ExistingFile, "Tempo from a MIDI file", "MIDI files (*.mid *.midi)"
        )
        if not chosen:
            return

        def done(found: midi.MidiTempo) -> None:
            desk.edit(
                lambda s: song_map.set_song(s, tempo_bpm=found.bpm, beats_per_bar=found.beats_per_bar, bar_s=0.0),
                reason=f"from {chosen[0].name}",
            )
            more = " It has other tempos too; this one lasts longest." if found.changes else ""
            desk.said.emit(f"{found.bpm:.2f} BPM, {found.beats_per_bar} beats in a bar, from {chosen[0].name}.{more}")

        desk.start("midi", lambda _report: midi.tempo(chosen[0]), done, line="files")
