"""Verbs of strips: copying and pasting what is set on them."""

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

    def clear_solo(self) -> None:
        if self._desk.is_open:
            soloed = [lane.id for lane in self._desk.session.lanes if lane.solo]
            self._desk.edit(lambda s: edits.change_strips(s, soloed, solo=False))
