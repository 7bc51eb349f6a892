"""The window's part of the toy stage: where its body and its bench lie."""

from all_even.app.stages.view import StageView

VIEW = StageView("tests.app.toy", "ToyBody", "ToyBench")
