"""The bench: objects and their geometry, lights, environment, cameras."""
