"""Names from outside, made harmless for where they go; sentences of errors."""

import csv
import io

import pytest

from all_even import texts
from all_even.cli.printing import say
from all_even.errors import UserError, short_name

RISKY = [
    "=1+1", "+1", "-1", "@A1", "\n=1", " =1", "\u00a0=1", "\uff1d1", "\uff0b1", "\uff0d1", "\uff201", "\t-1", "\r@A",
    "\u200b=1", "\u3000=1", "\x00=1", "\ufeff=1",
]  # fmt: skip


@pytest.mark.parametrize("text", RISKY)
def test_no_cell_begins_a_formula(text):
    cell = texts.cell(text)
    assert cell.startswith("'")
    out = io.StringIO()
    csv.writer(out).writerow([cell])
    assert next(csv.reader(io.StringIO(out.getvalue(), newline="")))[0].startswith("'")


@pytest.mark.parametrize("text", ["Kick", "808 -6", "a=b", "2nd @ bar", " quiet", "é", ""])
def test_ordinary_cells_stay_as_they_are(text):
    assert texts.cell(text) == text
    assert texts.cell(-3.5) == -3.5
    assert texts.cell(None) == ""


def test_a_page_holds_no_control_characters():
    assert texts.page("a\x00b\x1b[31mc\x7f\td\n") == "a�b�[31mc�\td\n"


def test_a_terminal_is_not_steered(capsys):
    say("Kick\x1b]0;title\x07 \u202etxt\nnext\r")
    told = capsys.readouterr().out
    assert told == "Kick ]0;title   txt\nnext \n"


def test_a_tooltip_shows_tags_as_letters():
    from PyQt6.QtCore import Qt

    tip = texts.tip('<img src="x"><b>Kick</b> & co')
    assert Qt.mightBeRichText(tip)
    assert "&lt;b&gt;Kick&lt;/b&gt; &amp; co" in tip
    assert texts.tip("Kick, peak > 0 dB") == "Kick, peak > 0 dB"
    assert texts.tip("a & b") == "a & b"


@pytest.mark.parametrize("name", ["x" * 300, "a\nb", "\x1b[31m", "<b>" * 100, "\u202e" * 9])
def test_a_sentence_is_one_short_line_whatever_it_names(name):
    sentence = str(UserError(f"{name} can't be read, and {name} neither."))
    assert len(sentence) < 200
    assert sentence.isprintable()
    assert len(short_name(name)) <= 60


def test_figures_are_finite_or_null():
    found = {"a": float("nan"), "b": [1.5, float("inf")], "c": {"d": (None, -float("inf"))}, "e": "x\udcff"}
    assert texts.json_ready(found) == {"a": None, "b": [1.5, None], "c": {"d": [None, None]}, "e": "x?"}


def test_one_of_a_thing_is_told_without_an_s():
    assert [texts.count(n, "band") for n in (0, 1, 12)] == ["0 bands", "1 band", "12 bands"]
