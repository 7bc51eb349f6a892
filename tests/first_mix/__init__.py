"""Tests of the first mix."""
