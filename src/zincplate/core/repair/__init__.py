"""Repairs: membranes, healing, where to take from, dust, and fills."""
