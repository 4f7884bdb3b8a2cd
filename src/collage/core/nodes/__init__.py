"""What cards can be: definitions from the standard's own files, plain labels, and the functions."""
