"""Gathering maps: from a folder of files to sets whose roles are known, and from a set to a wired material."""
