"""Our speed, measured beside a peer library in the same run, part by part."""

from all_even.cli.benchmarks.run import PARTS, run_benchmarks

__all__ = ["PARTS", "run_benchmarks"]
