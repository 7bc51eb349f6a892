"""The mix meter: figures of the whole mix, measured after every change, and what plays now."""

from PyQt6.QtWidgets import QWidget

from all_even.app.bench.drawings import PeakWindow
from all_even.app.desk import Desk
from all_even.app.style import fields, layouts
from all_even.dsp.parameter import decibel_text, number, signed

BALANCE_NOTE_DB = 1.5


class MixFigures(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._playing = ""
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        self.peaks = PeakWindow()
        column.addWidget(self.peaks)
        self.sample_peak = fields.Figure("Sample peak of the mix", "Highest sample")
        self.true_peak = fields.Figure("True peak of the mix", "Highest value between the samples")
        self.integrated = fields.Figure("Loudness of the mix", "Integrated loudness, ITU-R BS.1770-5")
        self.short_term = fields.Figure("Short-term loudness", "While playing: the last 3 s; else the loudest 3 s")
        self.balance = fields.Figure("Left-right balance", "Loudness of the left minus that of the right")
        self.correlation = fields.Figure("Correlation", "Of left and right, 400 ms windows; negative cancels in mono")
        column.addLayout(
            fields.figure_grid(
                [
                    ("Sample peak", self.sample_peak),
                    ("True peak", self.true_peak),
                    ("Loudness", self.integrated),
                    ("Short-term", self.short_term),
                    ("Left − right", self.balance),
                    ("Correlation", self.correlation),
                ],
                columns=2,
            )
        )
        column.addStretch(1)

    def refresh(self) -> None:
        mix, stale = self.desk.mix, self.desk.mix_stale
        peak = mix.sample_peak_dbfs if mix else None
        low, high = window = self.desk.session.settings.peak_window_dbfs
        self.peaks.show_peaks(peak, mix.true_peak_dbtp if mix else None, stale, window)
        self.sample_peak.setToolTip(f"Highest sample; the window is {number(low)} to {number(high)} dBFS (Settings)")
        outside = peak is not None and not low <= peak <= high
        self.sample_peak.show_value(decibel_text(peak, "dBFS"), look=outside and not stale, stale=stale)
        self.true_peak.show_value(decibel_text(mix.true_peak_dbtp if mix else None, "dBTP"), stale=stale)
        self.integrated.show_value(decibel_text(mix.integrated_lufs if mix else None, "LUFS"), stale=stale)
        self.short_term.show_value(decibel_text(mix.max_short_term_lufs if mix else None, "LUFS"), stale=stale)
        balance = mix.balance_db if mix else None
        off = balance is not None and abs(balance) > BALANCE_NOTE_DB
        self.balance.show_value(
            "–" if balance is None else f"{signed(balance)} dB", look=off and not stale, stale=stale
        )
        correlation = mix.correlation if mix else None
        self.correlation.show_value(
            "–" if correlation is None else number(correlation, 2),
            look=correlation is not None and correlation < 0 and not stale,
            stale=stale,
        )

    def show_playing(self, short_term_lufs: float | None) -> None:
        """The short-term loudness of what plays now."""
        shown = decibel_text(short_term_lufs, "LUFS")
        if shown != self._playing:  # text is laid out anew each time: not 30 times a second for nothing
            self._playing = shown
            self.short_term.show_value(shown)
