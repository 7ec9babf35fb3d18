"""Zincplate: develop raw camera files in the browser or on the command line."""

__version__ = "0.1.0"
