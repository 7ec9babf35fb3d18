"""Adjustments of the step tone: light and dark."""
