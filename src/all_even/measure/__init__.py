"""Figures from sound: pure functions of samples and sample rate, checked against published sources."""
