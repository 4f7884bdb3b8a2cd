"""Maps of one surface for another: what a dense mesh or displacement shows, baked onto a light mesh's UVs."""
