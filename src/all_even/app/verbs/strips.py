"""Verbs of strips: copying and pasting what is set on them."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from all_even.app.desk import Desk
from all_even.errors import UserError
from all_even.session.editing import copying, edits
from all_even.session.model.strips import MIX


class StripVerbs:
    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def selected_strips(self) -> list[str]:
        """The selected rows that are strips: lanes and buses."""
        strips = {strip.id for strip in self._desk.session.strips}
        return [item for item in self._desk.selected if item in strips]

    def copy_strip(self) -> None:
        """Puts what is set on the current strip on the clipboard, as text."""
        current = self._desk.current
        clipboard = QApplication.clipboard()
        if current is None or clipboard is None:
            return
        try:
            clipboard.setText(copying.copied(self._desk.session, current))
        except KeyError:
            self._desk.said.emit("A folder group has no settings to copy but its level.")
            return
        name = self._desk.session.strip_name(current)
        self._desk.said.emit(f"{name}: chain, sends, level and pan copied; the Edit menu pastes each by itself.")

    def paste(self, part: copying.Part) -> None:
        """Puts one part of what was copied on the selected strips."""
        clipboard = QApplication.clipboard()
        if not self._desk.is_open or clipboard is None:
            return
        chosen = self.selected_strips()
        if part == "chain" and MIX in self._desk.selected:
            chosen.append(MIX)
        try:
            found = copying.read(clipboard.text())
        except UserError as error:
            self._desk.said.emit(str(error))
            return
        if self._desk.try_edit(lambda s: copying.paste(s, chosen, part, found)):
            what = {"chain": "Chain", "sends": "Sends", "level": "Level and pan"}[part]
            count = f"{len(chosen)} strips" if len(chosen) != 1 else self._desk.session.strip_name(chosen[0])
            self._desk.said.emit(f"{what} of {found.name} pasted to {count}; undo takes it back.")

    def print_and_go_on(self) -> None:
        """Prints the current track or group with its inserts, and goes on with the file; what was there stays."""
        from all_even.deliver import printed_track

        desk, found = self._desk, self.to_print()
        if found is None:
            return
        strip_id, folder, name = found

        def show(path: Path) -> None:
            if not any(strip.id == strip_id for strip in desk.session.strips):
                return
            text = f"{name} printed with its inserts: {path.name}"
            if desk.edit(lambda s: printed_track.with_printed(s, strip_id, path), text=text):
                desk.select((strip_id,))
                desk.said.emit(f"{text}. Its inserts sleep; U plays what was there before; undo takes it back.")

        desk.figures.find(
            "print track", lambda look: printed_track.print_strip(look, strip_id, folder), show,
            saying=f"Printing {name} with its inserts", line="quick",
        )  # fmt: skip

    def to_print(self) -> tuple[str, Path, str] | None:
        """The selected track or group, the folder for its files, its name; None, said why, where it can't be."""
        from all_even.deliver import printed_track

        desk, current = self._desk, self._desk.current
        if current is None:
            desk.said.emit("Select a track or a group first.")
        elif desk.path is None:
            desk.said.emit("Save the session first: the printed file lies beside it.")
        else:
            try:
                printed_track.check(desk.session, current)
            except UserError as error:
                desk.said.emit(str(error))
            else:
                return current, printed_track.folder_of(desk.path), desk.session.strip_name(current)
        return None

    def take_back(self, choose: Callable[[], Path | None]) -> None:
        """A processed file in the place of the current track's or group's sound, aligned to the sample."""
        from all_even.deliver import printed_track

        desk, found = self._desk, self.to_print()
        came = choose() if found is not None else None
        if found is None or came is None:
            return
        strip_id, folder, name = found

        def show(taken: tuple[Path, int]) -> None:
            path, late = taken
            off = "in place" if not late else f"{abs(late)} samples {'late' if late > 0 else 'early'}, put right"
            text = f"{name}: {came.name} taken back, {off}"
            if any(strip.id == strip_id for strip in desk.session.strips) and desk.edit(
                lambda s: printed_track.with_printed(s, strip_id, path), text=text
            ):
                desk.said.emit(f"{text}. U plays what was there before; undo takes it back.")

        desk.figures.find(
            "print track", lambda look: printed_track.take_back(look, strip_id, came, folder), show,
            saying=f"Taking back {came.name}", line="quick",
        )  # fmt: skip

    def keep_chain(self, type_over: Callable[[str, str, Callable[[str], None]], None]) -> None:
        """Keeps the current chain under a name; type_over: asks for it."""
        from all_even.session.machine import chains

        desk, current = self._desk, self._desk.current
        if current is None or current in {folder.id for folder in desk.session.folder_groups}:
            desk.said.emit("Select a track or group first: its chain is kept.")
            return

        def typed(name: str) -> None:
            if name.strip() and desk.is_open:
                try:
                    kept = chains.keep(desk.session, current, name)
                except UserError as error:
                    desk.said.emit(str(error))
                    return
                desk.said.emit(f"Chain “{kept.name}” kept for {kept.role}: in the menu Tracks, Use the chain.")

        type_over("Name of the chain", desk.session.strip_name(current), typed)

    def use_chain(self, name: str) -> None:
        """A kept chain on everything selected."""
        from all_even.session.machine import chains

        desk, wanted = self._desk, self.selected_strips()
        if MIX in desk.selected:
            wanted.append(MIX)
        try:
            kept = chains.find(name)
        except KeyError:
            desk.said.emit(f"The chain “{name}” is not there any more.")
            return
        if wanted and desk.try_edit(lambda s: chains.put_on(s, wanted, kept)):
            count = f"{len(wanted)} tracks" if len(wanted) > 1 else desk.session.strip_name(wanted[0])
            desk.said.emit(f"Chain “{kept.name}” on {count}; undo takes it back.")

    def at_rest(self) -> None:
        """Faders at 0 dB, mutes and solos off: of the selection where several are selected, else of everything."""
        desk = self._desk
        if desk.is_open:
            several = len(desk.selected) > 1
            wanted = desk.selected if several else tuple(item.id for item in desk.session.members)
            text = f"Level and mute of {'the selection' if several else 'all tracks'} at rest"
            desk.edit(lambda s: edits.change_strips(s, wanted, level_db=0.0, mute=False, solo=False), text=text)

    def clear_solo(self) -> None:
        if self._desk.is_open:
            soloed = [lane.id for lane in self._desk.session.lanes if lane.solo]
            self._desk.edit(lambda s: edits.change_strips(s, soloed, solo=False))
