"""The graph from a decoded file to a picture: recipe, plates, cache, views and deliveries."""
