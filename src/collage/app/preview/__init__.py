"""The viewport that every place shows objects in."""
