"""The project: its state, its folder, automatic copies and recovery."""
