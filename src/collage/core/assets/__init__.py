"""The library of map sets, images, patterns, materials and groups."""
