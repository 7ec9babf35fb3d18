"""Repair: dust, cables, stains, and what else is to go."""
