"""The potting shed: all sample data, made from seeds, and the sample projects."""

SAMPLES = {
    "weathered-shed": "A clay pot some seasons old: moss, worn rims, a tide line, prints and a label",
    "potting-shed": "A clay pot on a glazed saucer, wired and lit",
    "yard": "A corner of the yard: slate flags, a stone trough and beaten copper, displaced",
    "weathered-yard": "The same some seasons later: moss, worn edges, drips, a water stain, prints and a label",
    "potting-bench": "A potting bench: real sizes, projectors, a label, planks that differ",
    "plain-ball": "A ball with a plain material, to start from",
}
"""What each sample project is, by its name; `shed` makes them."""
