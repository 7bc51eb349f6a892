"""Whether something may leave the house without tracks that can't be read whole: nothing does unless it is ticked here.

The box is there only while something lacks, and is ticked anew where that is something else.
"""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QCheckBox

from all_even import texts

if TYPE_CHECKING:
    from all_even.app.desk import Desk

LONGEST_NAME = 24


class Without:
    """Shared by all that is written of a session: `desk.shared(Without)`. lacks: a sentence for each source."""

    def __init__(self, desk: "Desk") -> None:
        self._desk = desk
        self.lacks: tuple[str, ...] = ()
        self._allowed: tuple[str, ...] = ()

    @property
    def even_without(self) -> bool:
        return bool(self.lacks) and self._allowed == self.lacks

    def allow(self, allowed: bool) -> None:
        self._allowed = self.lacks if allowed else ()

    def refresh(self) -> None:
        """Looks again at what can't be read whole."""
        look = self._desk.figures.look() if self._desk.is_open else None
        if look is None:
            self.lacks = ()
            return
        from all_even.deliver.lacking import of_mix

        self.lacks = of_mix(look)


class WithoutBox(QCheckBox):
    """The box: what lacks, in short; the sentences in its tooltip."""

    def __init__(self, desk: "Desk") -> None:
        super().__init__()
        self._shared = desk.shared(Without)
        self.setAccessibleName("Write it even without tracks that can't be read whole")
        self.toggled.connect(self._shared.allow)
        self.hide()

    def refresh(self) -> None:
        shared = self._shared
        shared.refresh()
        count = len(shared.lacks)
        self.setText(f"Even with {texts.count(count, 'file')} missing or damaged")
        told = "\n".join(shared.lacks[:8]) + (f"\nand {count - 8} more" if count > 8 else "")
        self.setToolTip(texts.tip(f"It is written without what can't be read, and says so:\n{told}"))
        self.blockSignals(True)
        self.setChecked(shared.even_without)
        self.blockSignals(False)
        self.setVisible(count > 0)
