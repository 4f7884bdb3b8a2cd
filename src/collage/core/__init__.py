"""Everything Collage computes. Nothing in here knows of the window."""
