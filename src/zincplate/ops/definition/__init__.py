"""Adjustments of the step definition: noise, sharpness, local contrast."""
