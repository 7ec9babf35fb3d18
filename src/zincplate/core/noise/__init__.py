"""Noise: its model, and taking it away."""
