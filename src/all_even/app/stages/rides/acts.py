"""What is done to the curve that the bench of Rides shows, and to a track in one section of the song."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.stages.rides.ride_drawing import RideDrawing
from all_even.dsp.parameter import signed
from all_even.session.editing import automating, ride_edits
from all_even.session.editing.curves import Points
from all_even.session.model.strips import MIX
from all_even.session.song import section_names

if TYPE_CHECKING:
    from all_even.measure.time.sections import Section

SMOOTH_S = 1.0
STRONGER, WEAKER = 1.25, 0.8


class RideActs:
    """strip, parameter: whose curve of what is shown. section: the one that is worked on. choose_level: lets the level
    of a strip be shown."""

    def __init__(
        self,
        desk: Desk,
        drawing: RideDrawing,
        strip: Callable[[], str],
        parameter: Callable[[], str],
        section: "Callable[[], Section | None]",
        choose_level: Callable[[str], None],
    ) -> None:
        self._desk, self._drawing, self._choose_level = desk, drawing, choose_level
        self._strip, self._parameter, self._section = strip, parameter, section

    def thin(self) -> None:
        strip_id, parameter, passage = self._strip(), self._parameter(), self._drawing.passage
        before = len(ride_edits.curve_of(self._desk.session, strip_id, parameter))
        if before:
            self._desk.try_edit(lambda s: ride_edits.thin(s, strip_id, parameter, passage))
            after = len(ride_edits.curve_of(self._desk.session, strip_id, parameter))
            self._desk.said.emit(f"{after} points instead of {before}.")

    def smooth(self) -> None:
        strip_id, parameter = self._strip(), self._parameter()
        passage = self._drawing.passage or (0.0, self._desk.song_s())
        self._desk.try_edit(lambda s: ride_edits.smooth(s, strip_id, parameter, passage, SMOOTH_S))

    def clear(self) -> None:
        """The setting stands still again."""
        strip_id, parameter = self._strip(), self._parameter()
        if ride_edits.curve_of(self._desk.session, strip_id, parameter):
            self._desk.try_edit(lambda s: ride_edits.set_curve(s, strip_id, parameter, ()))

    def repeat(self, part: str) -> None:
        """What the curve does in the marked passage, from every beat or every bar on. part: `beat` or `bar`."""
        strip_id, parameter, passage = self._strip(), self._parameter(), self._drawing.passage
        song, session = self._desk.figures.song, self._desk.session
        if song is None or song.tempo is None:
            self._desk.said.emit("The song has no tempo yet: tap or type one first.")
            return
        starts = tuple(song.tempo.every(part))
        if passage is None:
            self._desk.said.emit("Mark the passage to be copied first: drag over it.")
            return
        made, count = ride_edits.repeat_passage(session, strip_id, parameter, passage, starts)
        if not count:
            self._desk.said.emit("No automation here: there is nothing to copy.")
            return
        self._desk.try_edit(lambda _session: made)
        self._desk.said.emit(f"Copied to {texts.count(count, part)}.")

    def scale(self, share: float) -> None:
        """The whole curve further from rest, or nearer to it."""
        strip_id, parameter = self._strip(), self._parameter()
        if not ride_edits.curve_of(self._desk.session, strip_id, parameter):
            self._desk.said.emit("No automation here: there is nothing to scale.")
            return
        self._desk.try_edit(
            lambda s: ride_edits.scale(s, strip_id, parameter, share), merge=f"scale {strip_id} {parameter}"
        )

    def copy_to_sisters(self) -> None:
        """What the curve does in the present section, in all of that name."""
        strip_id, parameter, section = self._strip(), self._parameter(), self._section()
        song = self._desk.figures.song
        sisters = section_names.sisters(song.sections, section) if section is not None and song is not None else ()
        if section is None or not sisters:
            self._desk.said.emit("No other section is called like this one: name them on the song strip.")
            return
        if not ride_edits.curve_of(self._desk.session, strip_id, parameter):
            self._desk.said.emit("No automation here: there is nothing to copy.")
            return
        source = (section.start_s, section.end_s)
        to = [(item.start_s, item.end_s) for item in sisters]
        self._desk.try_edit(lambda s: ride_edits.copy_passage(s, strip_id, parameter, source, to))
        self._desk.said.emit(f"Copied to {texts.count(len(to), 'section')}.")

    def trim_section(self, by_db: float) -> None:
        section, strip_id = self._section(), self._strip()
        if section is None or strip_id == MIX:
            self._desk.said.emit("Select a track first." if strip_id == MIX else "The song has no sections yet.")
            return
        self._choose_level(strip_id)
        self._desk.try_edit(
            lambda s: ride_edits.trim_passage(s, strip_id, "level_db", section.start_s, section.end_s, by_db),
            merge=f"section {strip_id} {section.start_s}",
        )
        at_s = 0.5 * (section.start_s + section.end_s)
        session = self._desk.session
        level = ride_edits.value_at(session, strip_id, "level_db", at_s)
        off = level - ride_edits.rest_of(session, strip_id, "level_db")
        self._desk.said.emit(f"{session.strip_name(strip_id)} in {section.letter}: {signed(off)} dB.")

    def mute_section(self) -> None:
        section, strip_id = self._section(), self._strip()
        if section is None or strip_id == MIX:
            self._desk.said.emit("Select a track first." if strip_id == MIX else "The song has no sections yet.")
            return
        self._desk.try_edit(lambda s: ride_edits.toggle_mute(s, strip_id, section.start_s, section.end_s))

    def write_file(self, path: Path) -> None:
        from all_even.deliver import automation_files
        from all_even.session.file.store import recordings

        session, strip_id, parameter = self._desk.session, self._strip(), self._parameter()
        curve = ride_edits.curve_of(session, strip_id, parameter)
        if not curve:
            self._desk.said.emit("No automation here: there is nothing to write.")
            return
        described = automating.automatable(ride_edits.holder(session, strip_id), parameter)
        name = f"{session.strip_name(strip_id)}: {ride_edits.words(session, strip_id, parameter)}"

        def done(written: Path) -> None:
            self._desk.said.emit(f"{written.name}: {texts.count(len(curve), 'point')}.")

        self._desk.start(
            "curve", lambda _report: automation_files.write(curve, described, name, path, recordings(session)), done,
            line="files",
        )  # fmt: skip

    def read_file(self, path: Path) -> None:
        from all_even.deliver import automation_files

        strip_id, parameter = self._strip(), self._parameter()
        if not parameter:
            self._desk.said.emit("Choose first what the file is to move.")
            return
        described = automating.automatable(ride_edits.holder(self._desk.session, strip_id), parameter)

        def done(found: Points) -> None:
            there = strip_id == MIX or strip_id in {strip.id for strip in self._desk.session.strips}
            if there and self._desk.try_edit(lambda s: ride_edits.set_curve(s, strip_id, parameter, found)):
                self._desk.said.emit(f"{path.name}: {texts.count(len(found), 'point')}.")

        self._desk.start("curve", lambda _report: automation_files.read(path, described), done, line="files")
