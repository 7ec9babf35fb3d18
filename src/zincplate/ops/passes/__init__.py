"""Passes: further adjustments laid over parts of the picture."""
