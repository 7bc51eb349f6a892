"""The peak of the mix: held by a limiter last on its bus, and in its window with it or without."""

import pytest
from msgspec.structs import replace

from all_even.dsp.dynamics.limiter import Limiter
from all_even.figures.book.pages import Pages
from all_even.moves import making
from all_even.moves.balance import trim
from all_even.moves.buses import mix_peaks
from all_even.session.editing import chain_edits, edits
from all_even.session.model.strips import MIX
from tests.moves.looks import find, look_at, make, result_of


@pytest.fixture(scope="module")
def look(small_band):
    return look_at(small_band, Pages())


def at_peak(look, dbfs):
    """The same, trimmed so that it peaks there."""
    return look.at(edits.set_trim(look.session, look.session.mix.trim_db + dbfs - look.mix.sample_peak_dbfs))


def limiter_of(look) -> Limiter:
    (station,) = look.session.mix.chain
    return station


def test_the_highest_peaks_are_held_where_the_mix_peaks_and_all_else_comes_up(look):
    before = at_peak(look, -4.5)
    move = find(before, "buses.mix-peaks")
    after = make(before, move)
    assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)
    assert after.mix.true_peak_dbtp == pytest.approx(before.mix.true_peak_dbtp, abs=0.15)
    assert before.mix.plr_db - after.mix.plr_db > mix_peaks.WORTH_LU - 0.1
    assert making.propose(after, [mix_peaks.KIND]) == []


def test_a_mix_over_its_window_is_brought_back_by_the_limiter_and_as_much_is_held(look):
    usual, loud = at_peak(look, -4.5), at_peak(look, -1.0)
    after = make(loud, find(loud, "buses.mix-peaks"))
    assert after.mix.sample_peak_dbfs <= after.session.settings.peak_window_dbfs[1]
    assert after.mix.plr_db == pytest.approx(make(usual, find(usual, "buses.mix-peaks")).mix.plr_db, abs=0.1)
    assert making.propose(after, [trim.KIND]) == []


def test_a_trim_of_a_limited_mix_moves_the_limiter_and_holds_no_more(look):
    before = at_peak(look, -4.5)
    held = make(before, find(before, "buses.mix-peaks"))
    louder = replace(
        limiter_of(held), ceiling_db=-1.0, input_db=limiter_of(held).input_db - 1.0 - limiter_of(held).ceiling_db
    )
    loud = held.at(chain_edits.set_chain(held.session, MIX, [louder]))
    after = make(loud, find(loud, "balance.trim"))
    assert after.session.mix.trim_db == loud.session.mix.trim_db
    assert after.mix.sample_peak_dbfs == pytest.approx(after.session.settings.mix_peak_dbfs, abs=0.2)
    assert after.mix.plr_db == pytest.approx(held.mix.plr_db, abs=0.05)


def test_a_limiter_that_has_nothing_to_hold_is_left_where_it_is(look):
    soft = at_peak(look, -12.0)
    idle = soft.at(chain_edits.set_chain(soft.session, MIX, [Limiter(ceiling_db=-1.0)]))
    after = make(idle, find(idle, "balance.trim"))
    assert limiter_of(after).ceiling_db == -1.0
    assert after.mix.sample_peak_dbfs == pytest.approx(-4.5, abs=0.1)
