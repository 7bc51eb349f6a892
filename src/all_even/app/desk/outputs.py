"""Where playing goes on this machine: output and buffer, chosen by hand and kept; and which outputs there are."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec.structs import replace

from all_even.app.work import Report
from all_even.audio.available import DEFAULT, Output

if TYPE_CHECKING:
    from all_even.app.desk.state import DeskState
    from all_even.audio.device import Device, Fill


class Outputs:
    """known: what there was to choose from when it was last looked for; the chosen one is always among them."""

    def __init__(self, desk: "DeskState") -> None:
        self._desk = desk
        kept = desk.preferences
        self.chosen = Output(kept.output, kept.output_name) if kept.output else DEFAULT
        self.buffer_frames = kept.buffer_frames
        self.known: list[Output] = list(dict.fromkeys((DEFAULT, self.chosen)))

    @property
    def key(self) -> str:
        return self.chosen.key

    def open(self, sample_rate: int, fill: "Fill") -> "tuple[Device, str | None]":
        """Opens what is chosen; called by the player's thread."""
        from all_even.audio.device import open_device

        return open_device(sample_rate, fill, self.chosen, self.buffer_frames)

    def choose(self, key: str) -> None:
        self.chosen = next((output for output in self.known if output.key == key), DEFAULT)
        self._keep()

    def choose_buffer(self, frames: int) -> None:
        self.buffer_frames = frames
        self._keep()

    def look(self, then: Callable[[], object] = lambda: None) -> None:
        """Looks for what there is, off this thread."""

        def job(_report: Report) -> list[Output]:
            from all_even.audio.available import find_outputs

            return find_outputs()

        def done(found: list[Output]) -> None:
            self.known = list(dict.fromkeys((*found, self.chosen)))
            then()

        self._desk.work.start("outputs", job, done, line="quick")

    def _keep(self) -> None:
        named = self.chosen.name if self.chosen.key else ""
        self._desk.prefer(
            replace(self._desk.preferences, output=self.chosen.key, output_name=named, buffer_frames=self.buffer_frames)
        )
