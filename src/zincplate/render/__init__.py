"""Views, deliveries, suggestions, and their order."""
