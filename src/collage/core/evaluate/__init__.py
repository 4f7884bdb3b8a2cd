"""The evaluator: a network becomes a plan of steps, which runs on points in blocks."""
