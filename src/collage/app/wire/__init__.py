"""The Wire place: sources, board, controls, preview and channels."""
