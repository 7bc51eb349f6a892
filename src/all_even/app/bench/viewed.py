"""A bench of several views: a bar of buttons, of which one is pressed, over the view it stands for."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QLayout, QStackedWidget, QVBoxLayout, QWidget

from all_even.app.bench.bench import Bench
from all_even.app.style import fields, layouts


class ViewedBench(Bench):
    def make_views(self, named: Sequence[tuple[str, str]], views: Sequence[QWidget]) -> QHBoxLayout:
        """The views, and the bar with a button for each. named: name and tooltip of each."""
        self.stack = QStackedWidget()
        for view in views:
            self.stack.addWidget(view)
        self._only: list[tuple[int, QWidget]] = []
        bar = layouts.row(spacing=4)
        self.views = fields.view_buttons(self, bar, named, self.show_view)
        return bar

    def only_with(self, index: int, *widgets: QWidget) -> None:
        """Widgets that are shown with one view alone."""
        self._only += [(index, widget) for widget in widgets]

    def under_bar(self, bar: QLayout) -> QVBoxLayout:
        """The bar over the views, the first of which is shown."""
        column = layouts.column(spacing=4)
        column.addLayout(bar)
        column.addWidget(self.stack, 1)
        self.show_view(0)
        return column

    def show_view(self, index: int) -> None:
        """Shows a view, by its place in the bar."""
        self.stack.setCurrentIndex(index)
        button = self.views.button(index)
        if button is not None:
            button.setChecked(True)
        for at, widget in self._only:
            widget.setVisible(at == index)
        if self.desk.is_open:
            self.refresh_view()

    def refresh_view(self) -> None:
        """Another view is shown; a session is open."""
        self.refresh()
