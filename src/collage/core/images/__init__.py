"""Image files: loading, colour space, pyramids, and the store that keeps them within a budget."""
