"""Logarithm and exponential of whole blocks, several numbers at a time.

The C library's functions take one number after the other; a compressor spends most of its time in them.
These split a double into exponent and mantissa by its bits and use a short series, which the compiler can
do on many numbers at once. Against the C library: logarithm within 1e-11 absolute, exponential within 1e-11
relative (tested).
"""

import numpy as np

from all_even.kernels import kernel

LN2 = float(np.log(2.0))
LOG2E = 1.0 / LN2
ROUND = 6755399441055744.0
"""1.5·2^52: adding it leaves the nearest whole number in the lowest bits."""
ROOT_HALF_BITS = 0x3FE6A09E667F3BCD
"""The bits of the square root of one half: mantissas lie between it and its double."""


@kernel
def log_block(x):  # type: ignore[no-untyped-def]
    """Natural logarithm in place; x: (count,) of normal numbers over zero."""
    bits = x.view(np.int64)
    exponent = np.empty(len(x))
    for i in range(len(x)):
        k = (bits[i] - ROOT_HALF_BITS) >> 52
        bits[i] -= k << 52
        exponent[i] = k
    for i in range(len(x)):
        s = (x[i] - 1.0) / (x[i] + 1.0)
        z = s * s
        series = 1.0 / 13.0 + z * (1.0 / 15.0)
        series = 1.0 / 9.0 + z * (1.0 / 11.0 + z * series)
        series = 1.0 / 5.0 + z * (1.0 / 7.0 + z * series)
        series = 1.0 + z * (1.0 / 3.0 + z * series)
        x[i] = exponent[i] * LN2 + 2.0 * s * series


@kernel
def exp_block(x):  # type: ignore[no-untyped-def]
    """Exponential in place; x: (count,) between -700 and 700."""
    whole = np.empty(len(x))
    for i in range(len(x)):
        t = x[i] * LOG2E + ROUND
        whole[i] = t
        f = x[i] - (t - ROUND) * LN2
        series = 1.0 / 362880.0 + f * (1.0 / 3628800.0)
        series = 1.0 / 5040.0 + f * (1.0 / 40320.0 + f * series)
        series = 1.0 / 120.0 + f * (1.0 / 720.0 + f * series)
        series = 1.0 / 6.0 + f * (1.0 / 24.0 + f * series)
        x[i] = 1.0 + f * (1.0 + f * (0.5 + f * series))
    bits = x.view(np.int64)
    shift = whole.view(np.int64)
    for i in range(len(x)):
        bits[i] += shift[i] << 52
