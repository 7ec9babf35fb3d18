"""Formats that pictures are delivered in, one file each; :mod:`zincplate.formats.encode` names them."""
