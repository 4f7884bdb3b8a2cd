"""The Place place: what stands where, and which material is on which part."""
