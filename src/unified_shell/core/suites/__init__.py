"""Suites: software that is no Python distribution, got from what describes it, wired, tried and dropped."""
