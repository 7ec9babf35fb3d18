"""Series of one view: many frames become one with less noise, stars laid on each other, trails and hot pixels gone."""
