"""Adjustments of the step framing: what moves pixels."""
