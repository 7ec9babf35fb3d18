"""Adjustments of the step balance: the colour of the light."""
