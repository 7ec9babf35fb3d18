"""DNG (specification 1.7.1) by its own tags: pixels, levels, areas, colour and opcodes."""
