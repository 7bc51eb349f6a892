"""A cascade of second-order sections, all sections at once: each works on a sample of its own.

A section has to wait for its own last sample, so that a cascade run one section after the other leaves most
of the processor idle. Here section k works on sample t - k at step t, and takes what section k - 1 put out a
step before (a systolic array; H. T. Kung, "Why Systolic Architectures?", IEEE Computer 15 (1982)). One vector
holds a number of each section and channel, `lane = 2·section + channel`. At both ends of a block only
those sections move that have a sample there, so that nothing is late and the memory between blocks is that of
sections run in turn; only rounding differs (products are added unrounded where the processor can).

The compiler does not find this by itself: the loop is written for it, in its own language.
"""

from typing import Any

import numpy as np

from all_even.kernels import Written, kernel

SHORTEST = 16
"""Frames under which filling and emptying the array costs more than it gives."""
WIDEST = 8
"""Sections in one pass: sixteen doubles."""


def _loop(sections: int) -> Any:
    """The loop over (frames, 2) for so many sections. lanes: (7, 2·sections) b0, b1, b2, -a1, -a2 and both
    memories, which it leaves as they are after the last sample."""
    from llvmlite import ir
    from numba import types
    from numba.core import cgutils
    from numba.extending import intrinsic

    width = 2 * sections
    number, whole, vector = ir.DoubleType(), ir.IntType(64), ir.VectorType(ir.DoubleType(), width)
    pair, places = ir.VectorType(number, 2), ir.VectorType(ir.IntType(32), width)

    def pick(builder: Any, first: Any, second: Any, lanes: list[int]) -> Any:
        return builder.shuffle_vector(first, second, ir.Constant(ir.VectorType(ir.IntType(32), len(lanes)), lanes))

    def splat(builder: Any, value: Any) -> Any:
        narrow = builder.trunc(value, ir.IntType(32))
        first = builder.insert_element(ir.Constant(places, ir.Undefined), narrow, ir.IntType(32)(0))
        return builder.shuffle_vector(first, first, ir.Constant(places, [0] * width))

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        block = context.make_array(signature.args[0])(context, builder, arguments[0])
        lanes = context.make_array(signature.args[1])(context, builder, arguments[1])
        frames = builder.extract_value(block.shape, 0)
        rows = builder.bitcast(lanes.data, vector.as_pointer())
        samples = builder.bitcast(block.data, pair.as_pointer())
        fused = cgutils.get_or_insert_function(
            builder.module, ir.FunctionType(vector, [vector] * 3), f"llvm.fmuladd.v{width}f64"
        )

        def row(index: int) -> Any:
            return builder.gep(rows, [whole(index)])

        b0, b1, b2, a1, a2, first, second = (builder.load(row(index), align=8) for index in range(7))
        numbers = ir.Constant(places, [lane // 2 for lane in range(width)])
        last = whole(sections - 1)

        def run(start: Any, stop: Any, values: list[Any], end: str) -> list[Any]:
            """Steps from start to stop; at the `end` "head" or "tail" some sections rest."""
            before = builder.block
            test, body, after = (builder.append_basic_block(name) for name in ("test", "body", "after"))
            builder.branch(test)
            builder.position_at_end(test)
            step = builder.phi(whole)
            kept = [builder.phi(vector) for _ in range(3)]
            step.add_incoming(start, before)
            for phi, value in zip(kept, values, strict=True):
                phi.add_incoming(value, before)
            builder.cbranch(builder.icmp_signed("<", step, stop), body, after)

            builder.position_at_end(body)
            y, s1, s2 = kept
            if end == "tail":
                sample = ir.Constant(pair, [0.0, 0.0])
            else:
                sample = builder.load(builder.gep(samples, [step]), align=8)
            wide = pick(builder, sample, sample, [0, 1] + [0] * (width - 2))
            x = pick(builder, wide, y, [0, 1] + [width + lane for lane in range(width - 2)])
            moved_y = builder.call(fused, [b0, x, s1])
            moved_s1 = builder.call(fused, [a1, moved_y, builder.call(fused, [b1, x, s2])])
            moved_s2 = builder.call(fused, [a2, moved_y, builder.fmul(b2, x)])
            moved = [moved_y, moved_s1, moved_s2]
            if end == "head":
                active = builder.icmp_signed("<=", numbers, splat(builder, step))
            elif end == "tail":
                active = builder.icmp_signed(">", numbers, splat(builder, builder.sub(step, frames)))
            if end != "middle":
                moved = [builder.select(active, new, old) for new, old in zip(moved, kept, strict=True)]
            if end != "head":
                out = pick(builder, moved_y, moved_y, [width - 2, width - 1])
                builder.store(out, builder.gep(samples, [builder.sub(step, last)]), align=8)
            step.add_incoming(builder.add(step, whole(1)), builder.block)
            for phi, value in zip(kept, moved, strict=True):
                phi.add_incoming(value, builder.block)
            builder.branch(test)
            builder.position_at_end(after)
            return list(kept)

        values = [ir.Constant(vector, [0.0] * width), first, second]
        values = run(whole(0), last, values, "head")
        values = run(last, frames, values, "middle")
        values = run(frames, builder.add(frames, last), values, "tail")
        builder.store(values[1], row(5), align=8)
        builder.store(values[2], row(6), align=8)
        return context.get_dummy_value()

    def typed(_context: Any, block: Any, lanes: Any) -> Any:
        """Both arrays lie in one piece."""
        both = (block, lanes)
        if any(not isinstance(array, types.Array) or array.layout != "C" or array.ndim != 2 for array in both):
            return None
        return types.none(block, lanes), generate

    return intrinsic(typed)


run_two = Written(lambda: _loop(2))
run_four = Written(lambda: _loop(4))
run_eight = Written(lambda: _loop(8))


@kernel
def run_together(block, sections, state):  # type: ignore[no-untyped-def]
    """Two to eight sections (count, 5) over (frames, 2), at least as many frames as `SHORTEST`.

    state: 4 numbers a section, those of the left channel first. Missing sections let everything pass.
    """
    count = len(sections)
    width = 2 if count == 2 else (4 if count <= 4 else 8)
    lanes = np.zeros((7, 2 * width))
    for lane in range(2 * width):
        k = lane // 2
        if k < count:
            lanes[0, lane], lanes[1, lane], lanes[2, lane] = sections[k, 0], sections[k, 1], sections[k, 2]
            lanes[3, lane], lanes[4, lane] = -sections[k, 3], -sections[k, 4]
            lanes[5, lane], lanes[6, lane] = state[2 * lane], state[2 * lane + 1]
        else:
            lanes[0, lane] = 1.0
    if width == 2:
        run_two(block, lanes)
    elif width == 4:
        run_four(block, lanes)
    else:
        run_eight(block, lanes)
    for lane in range(2 * count):
        for memory in range(2):
            value = lanes[5 + memory, lane]
            state[2 * lane + memory] = value if abs(value) > 1e-25 else 0.0
