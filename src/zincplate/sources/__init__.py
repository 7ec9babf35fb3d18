"""What pixels come from."""
