"""Fused loops over pixels."""
