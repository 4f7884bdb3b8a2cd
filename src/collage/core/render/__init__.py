"""Pictures: the bench, the light, what the eye sees, and the surface under light."""
