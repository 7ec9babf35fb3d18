"""Adjustments of the step finish: what is done to the finished picture."""
