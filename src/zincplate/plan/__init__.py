"""What a recipe asks for."""
