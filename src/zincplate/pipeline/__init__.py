"""The stages between a source and its light."""
