"""The Gather place: folders, found sets, the set in hand; pages for seamless and derived maps."""
