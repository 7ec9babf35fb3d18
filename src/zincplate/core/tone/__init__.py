"""Tone that depends on surroundings, curves, haze, sharpening and grain."""
