"""Files and folders asked for in a dialog, in one way everywhere; the dialog is gone with its answer.

One that is kept holds a model of the folder and a thread that watches it.
"""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from all_even.app.machine import kept_layout

Mode = QFileDialog.FileMode


def chosen(
    parent: QWidget, mode: Mode, title: str, pattern: str = "", *, save: str = "", start: str = ""
) -> list[Path]:  # fmt: skip
    """What the user chose; nothing where he thought better of it. pattern: which files are shown. save: to write to,
    named so. start: the folder it begins in, else where the last one was left, else the home folder."""
    left = kept_layout.load().folder
    dialog = QFileDialog(parent, title, start or (left if Path(left).is_dir() else "") or str(Path.home()), pattern)
    try:
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setFileMode(mode)
        if save:
            dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
            dialog.selectFile(save)
        if not dialog.exec():
            return []
        kept_layout.keep(folder=dialog.directory().absolutePath())
        return [Path(name) for name in dialog.selectedFiles()]
    finally:
        dialog.deleteLater()
