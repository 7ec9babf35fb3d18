"""What a sensor does: mosaics, blown sites, hot pixels, lateral colour."""
