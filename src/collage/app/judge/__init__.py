"""The Judge place: light, the traced picture, and one thing at a time."""
