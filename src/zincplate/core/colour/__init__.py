"""Colour: spaces, adaptation, camera matrices, gamut, the light of a picture."""
