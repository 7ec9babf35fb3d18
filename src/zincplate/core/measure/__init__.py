"""Figures of a picture: histograms, clipping, depth."""
