"""Focus series: frames focused from near to far become one that is sharp throughout."""
