"""The demo's world: scenes of known radiance, a simulated camera, and the memory card that it fills."""
