"""Adjustments of the step colour: colours and grey."""
