"""What a move promises and did, in words: a figure that does not exist is not shown as one."""

from types import SimpleNamespace

from all_even.dsp.parameter import promise_text, result_text


def move(**values):
    return SimpleNamespace(
        **{"metric": "strongest gain, dB", "before": None, "expected": None, "expected_from": "trial", **values}
    )


def test_a_promise_names_what_is_known():
    assert promise_text(move(before=0.0, expected=-4.0)) == "strongest gain, dB: 0.0 → −4.0 (trial)"
    assert promise_text(move(expected=-4.0)) == "strongest gain, dB: −4.0 (trial)"
    assert promise_text(move(before=0.0)) == "strongest gain, dB: found on the sound when it is made"


def test_a_result_stands_beside_the_promise():
    assert result_text(move(before=0.0, expected=-4.0, after=-3.9)) == "strongest gain, dB: 0.0 → −3.9, expected −4.0"
    assert result_text(move(expected=-4.0, after=None)) == "strongest gain, dB: being measured, expected −4.0"
    assert result_text(move(after=-1.0)) == "strongest gain, dB: −1.0"
